"""What joins the kinds of things of a trace, declared once: the chain is walked along these, and they are drawn.

Each leads from a thing to what it rests on: a host to its machines, a machine to its disks, these to datastores,
volumes, pools, and to drives and arrays in the end.
"""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Collection
from dataclasses import dataclass

from django.db.models import Model

from movelot.inventory.models import (
    Disk,
    DiskPlacement,
    DriveGroup,
    Extent,
    MachinePlacement,
    Mount,
    Pool,
    Volume,
)

Keys = dict[str, set[int]]
Chosen = Collection[int] | None


@dataclass
class Edge:
    """One thing of a trace that leads to the next, nearer to the array."""

    kind: str
    id: int
    to_kind: str
    to_id: int


@dataclass(frozen=True)
class Joint(ABC):
    """Joins things of one kind to those of another that they rest on.

    ``walked`` is false for one that is followed from the thing itself only: a volume set holds the volumes of many
    disks, of which one disk rests on its own alone.
    """

    upper: str
    lower: str
    walked: bool = True

    @abstractmethod
    def pairs(self, upper: Chosen = None, lower: Chosen = None) -> set[tuple[int, int]]:
        """The primary keys that are joined, of these ``upper`` and ``lower`` things; of all for None."""


@dataclass(frozen=True)
class ByRow(Joint):
    """Joined by a row that has both keys, under the names ``up`` and ``down``."""

    model: type[Model] = Mount
    up: str = ""
    down: str = ""

    def pairs(self, upper: Chosen = None, lower: Chosen = None) -> set[tuple[int, int]]:
        rows = self.model._default_manager.filter(**{f"{self.up}__isnull": False, f"{self.down}__isnull": False})
        rows = rows if upper is None else rows.filter(**{f"{self.up}__in": upper})
        rows = rows if lower is None else rows.filter(**{f"{self.down}__in": lower})
        return set(rows.values_list(self.up, self.down))


@dataclass(frozen=True)
class ByName(Joint):
    """Joined by a name that devices agree on: a serial, or an identity.

    ``up`` is where an upper thing has it, as a model with the fields of its key and of the name; ``down`` alike.
    """

    up: tuple[type[Model], str, str] = (Volume, "pk", "")
    down: tuple[type[Model], str, str] = (Volume, "pk", "")

    def pairs(self, upper: Chosen = None, lower: Chosen = None) -> set[tuple[int, int]]:
        first, second = (self.up, upper), (self.down, lower)
        if upper is None:
            first, second = second, first
        names = _names(*first)
        others = _names(*second, among={name for _, name in names})
        by_name: dict[str, list[int]] = {}
        for key, name in others:
            by_name.setdefault(name, []).append(key)
        found = {(key, other) for key, name in names for other in by_name.get(name, ())}
        return found if upper is not None else {(other, key) for key, other in found}


def _names(
    where: tuple[type[Model], str, str], keys: Chosen, among: Collection[str] | None = None
) -> list[tuple[int, str]]:
    model, key, name = where
    rows = model._default_manager.exclude(**{name: ""})
    rows = rows if keys is None else rows.filter(**{f"{key}__in": keys})
    rows = rows if among is None else rows.filter(**{f"{name}__in": among})
    return list(rows.values_list(key, name))


SERIAL, EXTENT = (Volume, "pk", "serial"), (Extent, "datastore_id", "serial")
# From what runs down to what it runs on: the order in which the chain is walked.
JOINTS: tuple[Joint, ...] = (
    ByRow("host", "machine", model=MachinePlacement, up="host_id", down="machine_id"),
    ByRow("machine", "disk", model=Disk, up="machine_id", down="pk"),
    ByRow("host", "datastore", model=Mount, up="host_id", down="datastore_id"),
    ByRow("disk", "datastore", model=DiskPlacement, up="disk_id", down="datastore_id"),
    ByName("datastore", "volume", up=EXTENT, down=SERIAL),
    ByName("datastore", "volume", walked=False, up=EXTENT, down=(Volume, "pk", "set_serial")),
    ByName("disk", "volume", up=(Disk, "pk", "raw_serial"), down=SERIAL),
    ByName("disk", "volume", up=(Disk, "pk", "identity"), down=(Volume, "pk", "disk_identity")),
    ByRow("volume", "pool", model=Volume, up="pk", down="pool_id"),
    ByRow("pool", "drive_group", model=DriveGroup, up="pool_id", down="pk"),
    ByRow("pool", "array", model=Pool, up="pk", down="device_id"),
)


class Walk:
    """A walk along the chain, which remembers what it found to be joined: most of it is drawn afterwards."""

    def __init__(self) -> None:
        self._found: dict[Joint, set[tuple[int, int]]] = {}
        self._from_upper: dict[Joint, set[int]] = {}
        self._from_lower: dict[Joint, set[int]] = {}

    def chain_of(self, kind: str, keys: Collection[int]) -> Keys:
        """All that is on the chain of things of one kind: what rests on them, what they rest on, and they themselves.

        Drives are a side of the chain: those of every pool on it are part of it, and so is its array.
        """
        found = joined(self.above(kind, keys), self.below(kind, keys), self._beside(kind, keys))
        return joined(found, self.below("pool", found.get("pool", ()))) | {kind: set(keys)}

    def below(self, kind: str, keys: Collection[int]) -> Keys:
        """What things of one kind rest on, and they themselves."""
        found: Keys = {kind: set(keys)}
        for joint in JOINTS:
            if joint.walked and found.get(joint.upper):
                found.setdefault(joint.lower, set()).update(low for _, low in self._down(joint, found[joint.upper]))
        return found

    def above(self, kind: str, keys: Collection[int]) -> Keys:
        """What rests on things of one kind, and they themselves."""
        found: Keys = {kind: set(keys)}
        for joint in reversed(JOINTS):
            if joint.walked and found.get(joint.lower):
                found.setdefault(joint.upper, set()).update(up for up, _ in self._up(joint, found[joint.lower]))
        return found

    def _beside(self, kind: str, keys: Collection[int]) -> Keys:
        """What joints that are not walked lead to from the things themselves."""
        found: Keys = {}
        for joint in (each for each in JOINTS if not each.walked):
            if joint.upper == kind:
                found.setdefault(joint.lower, set()).update(low for _, low in self._down(joint, set(keys)))
            elif joint.lower == kind:
                found.setdefault(joint.upper, set()).update(up for up, _ in self._up(joint, set(keys)))
        return found

    def _down(self, joint: Joint, upper: set[int]) -> set[tuple[int, int]]:
        pairs = joint.pairs(upper=upper)
        self._found.setdefault(joint, set()).update(pairs)
        self._from_upper.setdefault(joint, set()).update(upper)
        return pairs

    def _up(self, joint: Joint, lower: set[int]) -> set[tuple[int, int]]:
        pairs = joint.pairs(lower=lower)
        self._found.setdefault(joint, set()).update(pairs)
        self._from_lower.setdefault(joint, set()).update(lower)
        return pairs

    def edges_among(self, keys: Keys) -> list[Edge]:
        """All that joins the things of a trace, given as primary keys by kind."""
        pairs: dict[tuple[str, str], set[tuple[int, int]]] = {}
        for joint in JOINTS:
            upper, lower = keys.get(joint.upper, set()), keys.get(joint.lower, set())
            if upper and lower:
                pairs.setdefault((joint.upper, joint.lower), set()).update(self._between(joint, upper, lower))
        return [_drawn(*kinds, *pair) for kinds, found in pairs.items() for pair in sorted(found)]

    def _between(self, joint: Joint, upper: set[int], lower: set[int]) -> set[tuple[int, int]]:
        if upper <= self._from_upper.get(joint, set()) or lower <= self._from_lower.get(joint, set()):
            return {(one, other) for one, other in self._found[joint] if one in upper and other in lower}
        return joint.pairs(upper, lower)


def joined(*parts: Keys) -> Keys:
    """The keys of all parts, by kind."""
    found: Keys = {}
    for part in parts:
        for kind, keys in part.items():
            found.setdefault(kind, set()).update(keys)
    return found


def _drawn(upper: str, lower: str, one: int, other: int) -> Edge:
    """A host leads to its machines when the chain is walked; drawn, a machine leads to the host that it runs on."""
    if (upper, lower) == ("host", "machine"):
        return Edge(lower, other, upper, one)
    return Edge(upper, one, lower, other)
