"""The contract of a reclaimer: what could come back, how sure that is, what it costs, and the lot that does it."""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from datetime import datetime
from typing import ClassVar

from movelot.capacity.known import Uses
from movelot.lots.kinds import Remedy


@dataclass(frozen=True)
class Gain:
    """Bytes that would come back in a ``place`` (a datastore or a pool): of what, at which cost.

    ``certainty`` says what the bytes rest on: measured, or estimated from what. ``cost`` says whose machines wait and
    how long, and whether it can be taken back. Without a ``remedy`` it is done on the page ``look`` leads to.

    ``frees`` are the bytes by what they come back to (``pool-4``, ``datastore-7``), ``hours`` how long devices work.
    """

    what: str
    place: str
    size_bytes: int
    cost: str
    certainty: str = "measured"
    remedy: Remedy | None = None
    look: str = ""
    # The name that people type to say that it is meant, where nothing brings back what is deleted.
    typed: str = ""
    # Whether what was there is gone for good then.
    deletes: bool = False
    frees: Mapping[str, int] = field(default_factory=dict)
    hours: float = 0.0


def hours_at(size_bytes: int, bytes_per_second: float) -> float:
    """How long work on so many bytes takes."""
    return size_bytes / bytes_per_second / 3600


class Reclaimer(ABC):
    """One kind of thing that takes room and need not."""

    name: ClassVar[str]
    # What they are, said of all.
    title: ClassVar[str]

    @abstractmethod
    def gains(self, known: Uses, moment: datetime) -> Iterable[Gain]:
        """What of this kind there is now, by a fixed number of queries."""
