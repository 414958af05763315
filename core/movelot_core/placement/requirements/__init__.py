"""All requirement kinds by name, found in the files of this folder: a kind that is written is registered."""

from __future__ import annotations

from movelot_core.errors import RequirementError
from movelot_core.families import members_in
from movelot_core.placement.requirements.base import Part, Requirement

KINDS: dict[str, type[Requirement]] = {
    each.kind: each
    for each in sorted(
        members_in(__name__, __path__, Requirement),  # type: ignore[type-abstract]
        key=lambda each: (list(Part).index(each.part), each.kind),
    )
}


def requirement(kind: object, value: object) -> Requirement:
    """A requirement as it was typed. RequirementError for a kind that is not known, or a value that does not fit it."""
    found = KINDS.get(kind) if isinstance(kind, str) else None
    if found is None:
        raise RequirementError(
            "requirement_unknown", f"There is no requirement “{kind}”; there are {', '.join(KINDS)}."
        )
    return found(found.read(value))
