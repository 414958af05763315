"""Dead space: blocks that arrays still hold though nothing above uses them."""

from __future__ import annotations

from collections.abc import Iterator
from datetime import datetime

from movelot.capacity.dead_space import dead_space
from movelot.capacity.known import Uses
from movelot.capacity.reclaim.base import Gain, Reclaimer, hours_at
from movelot.lots.kinds import Remedy

LEAST_BYTES = 50 * 2**30
# Bytes a second that a pool usually bears to be given back.
USUAL_PACE = 200 * 2**20


class DeadSpace(Reclaimer):
    """Of block storage: what was deleted or moved away, and whose blocks no host has given back."""

    name, title = "dead_space", "Dead space"

    def gains(self, known: Uses, moment: datetime) -> Iterator[Gain]:
        for each in dead_space(known):
            if each.dead_bytes >= LEAST_BYTES:
                yield Gain(
                    what=f"{each.volume.name}: its array holds blocks of what is no longer there",
                    place=each.pool.name,
                    size_bytes=each.dead_bytes,
                    cost="machines run on; the pool is busier while it runs, no faster than it bears",
                    frees={f"pool-{each.pool.pk}": each.dead_bytes},
                    hours=hours_at(each.dead_bytes, USUAL_PACE),
                    remedy=Remedy("return_blocks", {"datastores": [each.datastore]}, "Give it back"),
                )
