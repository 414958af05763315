"""Policies: what disks need, as requirements; whether a place serves them; which policy a disk has.

Worked example: a policy asks flash, at most 6 ms at the peak hour, and compression. A datastore on spinning drives at
8.9 ms that is not compressed cannot: all three reasons, the nearest first (latency is 2.9 ms off, media another thing).
A volume set on flash at 2 ms has the first two and can make the third: it can make it.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from enum import StrEnum
from typing import Any

from movelot_core.errors import RequirementError
from movelot_core.placement.facts import DiskFacts, PlaceFacts
from movelot_core.placement.requirements import KINDS, requirement
from movelot_core.placement.requirements.base import Answer, Found, Part, Requirement
from movelot_core.placement.requirements.impossible import ANYWAY, WhileImpossible

REQUIREMENTS_MAX = 40


@dataclass(frozen=True)
class Policy:
    """Requirements that all have to be served; none at all is served everywhere."""

    requirements: tuple[Requirement, ...]

    def sentence(self) -> str:
        """The whole in one sentence, parts in their order."""
        said = [each.sentence() for each in in_order(self.requirements)]
        text = ", ".join(said) or "anywhere"
        return f"{text[0].upper()}{text[1:]}."

    @property
    def beside_disks(self) -> Policy:
        """What it asks of a machine's own files and snapshots: nothing that is set on a disk alone."""
        return Policy(tuple(each for each in self.requirements if not each.of_disk))

    @property
    def anyway(self) -> bool:
        """Whether disks are put where least is lacking while no place serves it."""
        return any(each.kind == WhileImpossible.kind and each.value == ANYWAY for each in self.requirements)

    def lacking(self, disk: DiskFacts) -> list[str]:
        """What a disk lacks of the policy where its place serves it."""
        return [text for each in self.requirements if each.of_disk and (text := each.lacking(disk))]

    def limits(self) -> tuple[int, int]:
        """The cap and the floor that it asks for each disk, in IOPS; 0 for none."""
        asked = [each.limits() for each in self.requirements]
        return max((cap for cap, _floor in asked), default=0), max((floor for _cap, floor in asked), default=0)

    def documents(self) -> list[dict[str, Any]]:
        """As they are kept."""
        return [{"kind": each.kind, "value": each.value} for each in in_order(self.requirements)]


def in_order(requirements: Iterable[Requirement]) -> list[Requirement]:
    """By part, then by kind and value."""
    parts = list(Part)
    return sorted(requirements, key=lambda each: (parts.index(each.part), each.kind, str(each.value)))


def read_policy(documents: Sequence[Mapping[str, object]]) -> Policy:
    """A policy as typed or kept: a kind and a value each. RequirementError for what is none, or is there twice."""
    if len(documents) > REQUIREMENTS_MAX:
        message = f"{len(documents)} requirements are more than {REQUIREMENTS_MAX}."
        raise RequirementError("requirements_many", message)
    found: list[Requirement] = []
    for document in documents:
        each = requirement(document.get("kind"), document.get("value"))
        again = each in found if each.several else any(other.kind == each.kind for other in found)
        if again:
            raise RequirementError("requirement_twice", f"{each.label} is asked for twice.", "Leave one of them.")
        found.append(each)
    return Policy(tuple(in_order(found)))


@dataclass(frozen=True)
class Fit:
    """Whether a place serves a policy; what it lacks or would have to make, with the requirement, the nearest first."""

    answer: Answer
    lacks: tuple[tuple[Requirement, Found], ...] = ()

    @property
    def serves(self) -> bool:
        """Whether a disk of the policy may be put there."""
        return self.answer in (Answer.HAS, Answer.MAKES)

    @property
    def reasons(self) -> list[str]:
        """Why not, in words."""
        return [found.reason for _requirement, found in self.lacks]

    @property
    def missed(self) -> float:
        """How far off the place is, all that it lacks together; 0 for one that serves the policy."""
        return sum(found.miss for _requirement, found in self.lacks)


SERVED = Fit(Answer.HAS)


def fit(policy: Policy, place: PlaceFacts) -> Fit:
    """Whether ``place`` serves ``policy``: as bad as the worst answer. With fewer requirements it never gets worse."""
    lacks = [(each, found) for each in policy.requirements if (found := each.fit(place)).answer is not Answer.HAS]
    if not lacks:
        return SERVED
    # What keeps it out comes before what is not known, and that before what can be made.
    lacks.sort(key=lambda pair: (-pair[1].answer.rank, pair[1].miss))
    return Fit(lacks[0][1].answer, tuple(lacks))


class Because(StrEnum):
    """Why a disk has its policy, what counts most first."""

    FILES = "given to its own files"
    SNAPSHOTS = "given to its snapshots"
    DISK = "given to the disk"
    MACHINE = "given to its machine"
    LABEL = "by a label"
    DATASTORE = "of its datastore"
    CLUSTER = "of its cluster"


def in_force(given: Mapping[Because, int]) -> tuple[Because, int] | None:
    """Of the policies (by key) that a disk could have, the one that counts, and why; None without any."""
    return next(((because, given[because]) for because in Because if because in given), None)


def kinds_offered(places: Iterable[PlaceFacts]) -> dict[str, list[tuple[str | int | float, int]]]:
    """Of each kind of requirement the values that places serve, with how many do; by kind."""
    counts: dict[str, dict[str | int | float, int]] = {kind: {} for kind in KINDS}
    for place in places:
        for kind, each in KINDS.items():
            for value in each.values_of(place):
                counts[kind][value] = counts[kind].get(value, 0) + 1
    return {kind: sorted(found.items(), key=lambda pair: str(pair[0])) for kind, found in counts.items()}
