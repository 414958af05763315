"""What compression and deduplication would bring back, where somebody has had that estimated."""

from __future__ import annotations

from collections.abc import Iterator
from datetime import datetime

from movelot.capacity.estimates import kept_estimates, ways_of
from movelot.capacity.known import Uses
from movelot.capacity.reclaim.base import Gain, Reclaimer, hours_at
from movelot.inventory.models import Volume
from movelot.lots.kinds import Remedy
from movelot_core.units import count_of, format_size

# Bytes a second that a pool usually bears to be reduced.
USUAL_PACE = 400 * 2**20


class DataReduction(Reclaimer):
    """Of volumes that were estimated together and are not reduced yet."""

    name, title = "reduction", "Data that compression and deduplication make smaller"

    def gains(self, known: Uses, moment: datetime) -> Iterator[Gain]:
        for key, found in kept_estimates(known.pools).items():
            pool, ways = known.pools[key], ways_of(known.pools[key])
            if not ways:
                continue
            most = next((left for left in found.left if left.ways == ways[-1]), None)
            serials = [volume.serial for volume in found.volumes]
            volumes = [volume for volume, _use in known.volumes.get(key, ()) if volume.serial in serials]
            if most is None or len(volumes) < len(serials) or any(volume.reduced for volume in volumes):
                continue
            saved = sum(volume.allocated_bytes for volume in volumes) - most.left_bytes
            if saved > 2 * most.error_bytes:
                yield _gain(pool.name, volumes, saved, most.error_bytes, most.ways)


def _gain(pool: str, volumes: list[Volume], saved: int, error: int, ways: list[str]) -> Gain:
    what = volumes[0].name if len(volumes) == 1 else count_of(len(volumes), "volume")
    return Gain(
        what=f"{what}: {' and '.join(ways)}",
        place=pool,
        size_bytes=saved,
        certainty=f"estimated, give or take {format_size(2 * error)}",
        cost="machines run on; taken back it needs that room again",
        frees={f"pool-{volumes[0].pool_id}": saved},
        hours=hours_at(sum(volume.allocated_bytes for volume in volumes), USUAL_PACE),
        remedy=Remedy("reduce", {"volumes": sorted(volume.pk for volume in volumes), "ways": ways}, "Reduce them"),
    )
