"""The contract of kinds of rules: what a rule of the kind says, and what it comes to for the disks of a group."""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import ClassVar

from movelot.inventory.models import PlacementRule
from movelot_core.balance.rules import Bond, Split


@dataclass(frozen=True)
class RuleDisk:
    """A disk as rules see it: its primary key and its machine's."""

    disk: int
    machine: int


@dataclass(frozen=True)
class OfGroup:
    """Whose rules are asked for: the disks of a group by number, the primary keys of its datastores, and by what rules
    keep apart the number of each datastore's site."""

    disks: Sequence[RuleDisk]
    stores: Sequence[int]
    sites: Mapping[str, tuple[int, ...]]


@dataclass(frozen=True)
class OfDisks:
    """``disks`` by number that a rule is about, each for itself."""

    name: str
    disks: tuple[int, ...]


@dataclass(frozen=True)
class KeptOff:
    """``disks`` by number that do not lie on the datastore with the number ``store``."""

    name: str
    disks: tuple[int, ...]
    store: int


@dataclass
class GroupRules:
    """What the rules come to for a group: ``pins`` stay where they are, ``by_people`` are moved by people only."""

    splits: list[Split] = field(default_factory=list)
    bonds: list[Bond] = field(default_factory=list)
    pins: list[OfDisks] = field(default_factory=list)
    kept_off: list[KeptOff] = field(default_factory=list)
    by_people: list[OfDisks] = field(default_factory=list)


class RuleKind(ABC):
    """A kind of rule. Its docstring says what it is for."""

    name: ClassVar[str]
    # Which of its disks a rule may be about together, the usual first.
    amongs: ClassVar[tuple[str, ...]] = (PlacementRule.Among.DISKS,)
    # Whether it keeps apart by datastores, pools or arrays, and whether it names a datastore.
    has_sites: ClassVar[bool] = False
    has_datastore: ClassVar[bool] = False
    # Whether it is about disks to one another: of fewer than two in a group it says nothing there.
    to_one_another: ClassVar[bool] = False

    @abstractmethod
    def gather(self, rule: PlacementRule, mine: Sequence[int], of: OfGroup, found: GroupRules) -> None:
        """Add what ``rule`` comes to for its disks ``mine``, by number, of a group."""

    @abstractmethod
    def sentence(self, rule: PlacementRule, whose: str) -> str:
        """What a rule says; ``whose`` are its disks: "of role=db"."""
