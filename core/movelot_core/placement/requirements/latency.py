"""How fast the pool answers at its slowest hour."""

from __future__ import annotations

from dataclasses import dataclass

from movelot_core.placement.facts import PlaceFacts
from movelot_core.placement.requirements.base import HAS, Answer, Editor, Found, Part, Requirement


@dataclass(frozen=True)
class PeakLatency(Requirement):
    """At most so many milliseconds at the peak hour."""

    kind, part, label = "peak_ms", Part.FAST, "at the peak hour, at most"
    editor = Editor("number", "ms", 0.1, 1000)

    def fit(self, place: PlaceFacts) -> Found:
        if place.peak_ms is None:
            return Found(Answer.UNKNOWN, "its latency at the peak hour is not known")
        wanted = float(self.value)
        if place.peak_ms <= wanted:
            return HAS
        said = f"{place.peak_ms:.1f} ms at the peak hour, {place.peak_ms - wanted:.1f} more than {wanted:g}"
        return Found(Answer.CANNOT, said, min(1.0, place.peak_ms / wanted - 1))

    def sentence(self) -> str:
        return f"at most {float(self.value):g} ms at the peak hour"
