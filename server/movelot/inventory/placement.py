"""Where things are: which pool lies beneath what hosts see by its serial."""

from __future__ import annotations

from movelot.inventory.models import Volume


def pools_by_serial() -> dict[str, int]:
    """The primary key of the pool of each volume that is there, by the volume's serial."""
    return dict(Volume.objects.values_list("serial", "pool_id"))
