"""The first hour with an empty estate: what is done and what comes next."""

from __future__ import annotations

from dataclasses import dataclass

from movelot.inventory.models import Datastore, Device, Pool


@dataclass
class FirstStep:
    """One thing to do before Move Lot is of use: where it is done (a path of the front end), and whether it is."""

    name: str
    text: str
    path: str
    done: bool


def first_hour() -> list[FirstStep]:
    """The steps in order; none once an array, a host and a datastore are known: then findings say what to do."""
    kinds = set(Device.objects.values_list("kind", flat=True).distinct())
    array, host = Device.Kind.ARRAY in kinds, Device.Kind.HOST in kinds
    datastore = Datastore.objects.exists()
    if array and host and datastore:
        return []
    granted = Pool.objects.filter(grant__isnull=False).exists()
    return [
        FirstStep(
            "Link an array",
            "Its address and an account; compare the certificate's fingerprint with what the array shows, then pin it.",
            "/devices",
            array,
        ),
        FirstStep(
            "Link the hosts that use it",
            "One by one, or all from a file of links. Each is read within seconds.",
            "/devices",
            host,
        ),
        FirstStep(
            "Have a pool granted",
            "The storage team says of which pools virtualization may use how much.",
            "/attach",
            granted,
        ),
        FirstStep(
            "Attach the first storage",
            "A volume or an export, made, offered and mounted on every host by one lot that can be undone.",
            "/attach",
            datastore,
        ),
    ]
