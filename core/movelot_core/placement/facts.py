"""What is known of a datastore as a place for disks."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from types import MappingProxyType

NO_LABELS: Mapping[str, str] = MappingProxyType({})


@dataclass(frozen=True)
class PlaceFacts:
    """A place by the datastore's key; None is what nobody tells.

    ``kind`` is block, file, set (each disk a volume of its own) or local. ``labels`` are people's, ``clusters`` those
    whose hosts all mount it. ``paths`` are the fewest that any of its hosts has, ``weak`` the components that alone
    carry a host's paths. ``media`` and ``raid`` are those of its pool, ``drives`` how many the pool lies on,
    ``peak_ms`` the pool's latency at its slowest hour. ``reduced`` says how what lies there is made smaller, ``thin``
    whether room is taken as it fills; ``makes`` what can be set for each disk apart when it is placed there: a data
    reduction, a cap, a floor.
    """

    key: int
    name: str
    kind: str
    labels: Mapping[str, str] = field(default_factory=lambda: NO_LABELS)
    clusters: frozenset[str] = frozenset()
    paths: int | None = None
    weak: tuple[str, ...] | None = None
    media: str | None = None
    raid: str | None = None
    drives: int | None = None
    peak_ms: float | None = None
    reduced: frozenset[str] = frozenset()
    thin: bool | None = None
    makes: frozenset[str] = frozenset()


@dataclass(frozen=True)
class DiskFacts:
    """What is set on a disk itself: its cap and floor in IOPS, 0 for none; None is what nobody tells."""

    cap_iops: int | None = None
    floor_iops: int | None = None
