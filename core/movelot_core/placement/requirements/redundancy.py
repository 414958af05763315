"""What may be lost at once without a loss of data, and how that is reached."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

from movelot_core.placement.facts import PlaceFacts
from movelot_core.placement.requirements.base import HAS, Answer, Editor, Found, Part, Requirement, Value, one_of
from movelot_core.units import count_of

MIRROR, PARITY, NONE = "mirror", "parity", "none"
# Of each RAID level: any so many drives may be lost, and how it does it (SNIA, Common RAID Disk Data Format).
LEVELS = {
    "RAID0": (0, NONE),
    "RAID1": (1, MIRROR),
    "RAID10": (1, MIRROR),
    "RAID3": (1, PARITY),
    "RAID4": (1, PARITY),
    "RAID5": (1, PARITY),
    "RAID50": (1, PARITY),
    "RAID6": (2, PARITY),
    "RAID60": (2, PARITY),
}
UNKNOWN = "its redundancy is not told"


@dataclass(frozen=True)
class MayLose(Requirement):
    """Any so many drives may be lost at once."""

    kind, part, label = "may_lose", Part.KEPT, "drives that may be lost at once"
    editor = Editor("number", "drives", 1, 3)

    def fit(self, place: PlaceFacts) -> Found:
        level = LEVELS.get(place.raid or "")
        if level is None:
            return Found(Answer.UNKNOWN, UNKNOWN)
        wanted = int(self.value)
        if level[0] >= wanted:
            return HAS
        return Found(Answer.CANNOT, f"{place.raid} bears the loss of {count_of(level[0], 'drive')}, not {wanted}", 0.8)

    def sentence(self) -> str:
        return f"any {count_of(int(self.value), 'drive')} may be lost"


@dataclass(frozen=True)
class KeptBy(Requirement):
    """Mirrored, or by parity."""

    kind, part, label = "kept_by", Part.KEPT, "redundancy by"
    editor = Editor("choice", options=((MIRROR, "mirror"), (PARITY, "parity")))

    def fit(self, place: PlaceFacts) -> Found:
        way = LEVELS[place.raid][1] if place.raid in LEVELS else None
        return one_of(way, str(self.value), f"{place.raid} is {way}", UNKNOWN)

    def sentence(self) -> str:
        return "mirrored" if self.value == MIRROR else "kept by parity"

    @classmethod
    def values_of(cls, place: PlaceFacts) -> Iterable[Value]:
        return [LEVELS[place.raid][1]] if place.raid in LEVELS else []


@dataclass(frozen=True)
class OverDrives(Requirement):
    """Spread over at least so many drives."""

    kind, part, label = "drives", Part.KEPT, "spread over drives"
    editor = Editor("number", "drives", 1, 10_000)

    def fit(self, place: PlaceFacts) -> Found:
        if place.drives is None:
            return Found(Answer.UNKNOWN, "how many drives it lies on is not told")
        wanted = int(self.value)
        if place.drives >= wanted:
            return HAS
        return Found(Answer.CANNOT, f"on {count_of(place.drives, 'drive')}, not {wanted}", 1 - place.drives / wanted)

    def sentence(self) -> str:
        return f"over at least {count_of(int(self.value), 'drive')}"
