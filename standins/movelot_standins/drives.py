"""The drives of a pool, by media and state."""

from __future__ import annotations

from dataclasses import dataclass

from movelot_standins.actions import ActionError
from movelot_standins.model import Pool


@dataclass(frozen=True)
class DriveSet:
    """So many drives of one media and state (in use, failed, spare), of so many bytes each."""

    media: str
    size_bytes: int
    state: str
    count: int


def add_drives(pool: Pool, wanted: int) -> None:
    """Have a pool consist of so many drives, of those that belong to none; asked for again nothing more is added.

    Its capacity grows by what the new drives hold beside parity, and is there at once.
    """
    more = wanted - pool.drives
    if more <= 0:
        return
    if more > pool.addable:
        text = f"{pool.addable} drives belong to no pool, not {more}."
        raise ActionError(409, "InsufficientStorage", text)
    each = drive_sets(pool)[0].size_bytes
    pool.drives, pool.addable = wanted, pool.addable - more
    pool.capacity_bytes = each * _data_drives(pool)


def _data_drives(pool: Pool) -> int:
    parity = 2 * len(pool.groups()) if pool.raid == "RAID6" else pool.drives // 2
    return max(1, pool.drives - parity)


def drive_sets(pool: Pool) -> list[DriveSet]:
    """Its drives in use, tier by tier, and beside them those that failed, for which spares stand in."""
    each = pool.capacity_bytes // _data_drives(pool)
    tiers = [(str(media), int(str(size))) for media, size in pool.tiers] or [(pool.media, pool.capacity_bytes)]
    found = [
        DriveSet(media, each, "in use", max(1, round(pool.drives * size / pool.capacity_bytes)))
        for media, size in tiers[:-1]
    ]
    slowest = tiers[-1][0]
    found.append(DriveSet(slowest, each, "in use", pool.drives - sum(one.count for one in found)))
    beside = (("failed", pool.failed), ("spare", max(0, pool.spares - pool.failed)))
    return found + [DriveSet(slowest, each, state, count) for state, count in beside if count]
