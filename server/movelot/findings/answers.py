"""What the API says of findings."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from movelot.findings.apart import told_apart
from movelot.findings.base import REGISTRY, Size, Subject, Words
from movelot.findings.models import Finding
from movelot.lots.kinds import Remedy


@dataclass
class Part:
    """A part of a sentence: text, or where ``bytes`` is a number a size in the unit its reader has chosen."""

    text: str
    bytes: float | None


@dataclass
class FindingAnswer:
    """A finding as it is shown.

    ``of`` tells its subject apart from another thing of that name: an array, clusters, a host; empty where none has it.
    ``label`` is its subject with what tells two alike apart, ``place`` where to look (a path of the front end, empty
    where there is none). ``figures`` is its evidence, for programs. Findings that one and the same lot settles have one
    ``settled_with``.
    """

    id: int
    kind: str
    urgency: str
    stage: str
    subject_kind: str
    subject_id: int | None
    subject: str
    of: str
    label: str
    title: str
    text: list[Part]
    action: list[Part]
    place: str
    reasons: list[str]
    figures: dict[str, Any]
    draft: Remedy | None
    settled_with: str
    first_seen: datetime
    last_seen: datetime
    acknowledged_until: datetime | None
    acknowledged_by: str
    acknowledged_note: str


def parts(words: Words) -> list[Part]:
    return [Part("", word.bytes) if isinstance(word, Size) else Part(word, None) for word in words]


def answer_of(row: Finding) -> FindingAnswer:
    """A finding said by its kind."""
    kind = REGISTRY.kinds[row.kind]
    evidence = kind.read(row.evidence)
    subject = Subject(row.subject_kind, row.subject_id or None, row.subject_name)
    remedy = kind.remedy(subject, evidence)
    return FindingAnswer(
        id=row.pk,
        kind=row.kind,
        urgency=row.urgency,
        stage=row.stage,
        subject_kind=row.subject_kind,
        subject_id=subject.id,
        subject=row.subject_name,
        of="",
        label=kind.label(subject, evidence),
        title=kind.title(evidence),
        text=parts(kind.text(evidence)),
        action=parts(kind.action(subject, evidence)),
        place=kind.place(subject, evidence),
        reasons=kind.reasons(evidence),
        figures=row.evidence,
        draft=remedy,
        settled_with=remedy.key if remedy else f"finding {row.pk}",
        first_seen=row.first_seen,
        last_seen=row.last_seen,
        acknowledged_until=row.acknowledged_until,
        acknowledged_by=row.acknowledged_by.username if row.acknowledged_by else "",
        acknowledged_note=row.acknowledged_note,
    )


def answers_of(rows: Iterable[Finding]) -> list[FindingAnswer]:
    """Findings said by their kinds, subjects of one name told apart."""
    found = [answer_of(row) for row in rows]
    apart = told_apart((each.subject_kind, each.subject_id, each.subject) for each in found)
    for each in found:
        each.of = apart.get((each.subject_kind, each.subject_id or 0), "")
    return found


ORDER = {"now": 0, "soon": 1, "note": 2}


def in_order(rows: Iterable[Finding]) -> list[Finding]:
    """Most urgent first, those that were put off last; then by rank, then by name."""
    return sorted(rows, key=lambda row: (ORDER.get(row.urgency, 9), row.rank, row.subject_name, row.pk))
