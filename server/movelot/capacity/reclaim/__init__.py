"""All reclaimers, found in the files of this folder: one that is written is registered."""

from __future__ import annotations

from movelot.capacity.reclaim.base import Reclaimer
from movelot_core.families import members_in

RECLAIMERS: tuple[Reclaimer, ...] = tuple(
    sorted(
        (each() for each in members_in(__name__, __path__, Reclaimer)),  # type: ignore[type-abstract]
        key=lambda each: each.name,
    )
)
