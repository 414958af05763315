"""What each disk may ask at most, and is guaranteed at least: set on the disk, where somebody keeps it to that."""

from __future__ import annotations

from dataclasses import dataclass

from movelot_core.placement.facts import DiskFacts, PlaceFacts
from movelot_core.placement.requirements.base import HAS, Answer, Editor, Found, Part, Requirement

MOST = 10_000_000


def _lacking(had: int | None, wanted: int, noun: str) -> str:
    """What a disk has instead of a limit; empty where it has it."""
    if had == wanted:
        return ""
    if had is None:
        return f"its {noun} is not told"
    return f"its {noun} is {had:,} IOPS, not {wanted:,}" if had else f"it has no {noun}, not {wanted:,} IOPS"


@dataclass(frozen=True)
class Cap(Requirement):
    """Each disk gets at most so many IOPS."""

    kind, part, label = "cap_iops", Part.FAST, "IOPS of each disk, at most"
    editor = Editor("number", "IOPS", 1, MOST)
    of_disk = True

    def fit(self, place: PlaceFacts) -> Found:
        return HAS if "cap" in place.makes else Found(Answer.CANNOT, "nobody caps a disk there", 0.8)

    def sentence(self) -> str:
        return f"each disk capped at {int(self.value):,} IOPS"

    def lacking(self, disk: DiskFacts) -> str:
        return _lacking(disk.cap_iops, int(self.value), "cap")

    def limits(self) -> tuple[int, int]:
        return int(self.value), 0


@dataclass(frozen=True)
class Floor(Requirement):
    """Each disk is guaranteed so many IOPS."""

    kind, part, label = "floor_iops", Part.FAST, "IOPS of each disk, guaranteed"
    editor = Editor("number", "IOPS", 1, MOST)
    of_disk = True

    def fit(self, place: PlaceFacts) -> Found:
        return HAS if "floor" in place.makes else Found(Answer.CANNOT, "nobody guarantees a disk IOPS there", 0.8)

    def sentence(self) -> str:
        return f"{int(self.value):,} IOPS guaranteed to each disk"

    def lacking(self, disk: DiskFacts) -> str:
        return _lacking(disk.floor_iops, int(self.value), "floor")

    def limits(self) -> tuple[int, int]:
        return 0, int(self.value)
