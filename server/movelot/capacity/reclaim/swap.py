"""What machines that are off left of their memory on disk."""

from __future__ import annotations

from collections.abc import Iterator
from datetime import datetime

from movelot.capacity.known import Uses
from movelot.capacity.reclaim.base import Gain, Reclaimer
from movelot.inventory.models import Datastore, Machine
from movelot.lots.kinds import Remedy


class LeftSwap(Reclaimer):
    """Of machines that went off without ceremony: the host makes it anew whenever one is switched on."""

    name, title = "swap", "Swap of machines that are off"

    def gains(self, known: Uses, moment: datetime) -> Iterator[Gain]:
        rows = Machine.objects.filter(power="Off", swap_bytes__gt=0, placement__isnull=False).order_by("name")
        machines = list(rows.values_list("pk", "name", "home", "swap_bytes"))
        homes = {home for _key, _name, home, _size in machines}
        stores = {
            identity: (key, name)
            for identity, key, name in Datastore.objects.filter(identity__in=homes).values_list(
                "identity", "pk", "name"
            )
        }
        for key, name, home, size in machines:
            store, place = stores.get(home, (None, ""))
            yield Gain(
                what=f"swap of {name}, which is off",
                place=place,
                size_bytes=size,
                cost="nobody waits; its host makes it anew when the machine is switched on",
                frees={} if store is None else {f"datastore-{store}": size},
                remedy=Remedy("delete_swap", {"machines": [key]}, f"Delete the swap of {name}"),
            )
