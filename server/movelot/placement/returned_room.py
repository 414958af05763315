"""Room that comes back to datastores by a lot: told before, measured after."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from movelot.inventory.models import Datastore
from movelot.lots.kinds import MeasuredRow


@dataclass
class StoreRoom:
    """Room that comes back to a datastore, by its identity: free before, and as it should be after."""

    identity: str
    name: str
    before_bytes: int
    after_bytes: int


def room_of(returned: Mapping[int, int]) -> list[StoreRoom]:
    """Of bytes that come back, by the primary key of each datastore."""
    return [
        StoreRoom(store.identity, store.name, store.free_bytes, store.free_bytes + returned[store.pk])
        for store in Datastore.objects.filter(pk__in=returned).order_by("name")
    ]


def measured(stores: Sequence[StoreRoom]) -> list[MeasuredRow]:
    """What each datastore has free, before and after."""
    rows = Datastore.objects.filter(identity__in=[each.identity for each in stores])
    free = dict(rows.values_list("identity", "free_bytes"))
    return [
        MeasuredRow(
            "datastore", each.name, "free in bytes", each.before_bytes, each.after_bytes, free.get(each.identity)
        )
        for each in stores
    ]
