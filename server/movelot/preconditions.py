"""Acting on what one saw: ETag, If-Match, and what is said when somebody else was faster.

Anything that people edit has a version, a short text that is another one whenever what they act on is. Its answers
carry it as ETag; a call that names it in If-Match (RFC 9110, section 13.1.1) is carried out on that version or not
at all.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from datetime import datetime

from drf_spectacular.utils import OpenApiParameter
from rest_framework.request import Request

from movelot.problems import Problem

IF_MATCH = OpenApiParameter(
    "If-Match", str, OpenApiParameter.HEADER, description="The ETag of what you saw: 412 says what changed since."
)


@dataclass(frozen=True)
class ChangedSince:
    """What happened to a thing since somebody saw it: sentences, by whom, and when last."""

    changes: list[str]
    by: list[str]
    at: datetime | None


def etag(version: str) -> dict[str, str]:
    """The header that says which version an answer tells of."""
    return {"ETag": f'"{version}"'}


def seen_by(request: Request) -> str | None:
    """The version that the person saw; None for a call that does not say, or takes any."""
    given = request.headers.get("If-Match", "").strip()
    return given.removeprefix("W/").strip('"') if given and given != "*" else None


def demand(seen: str | None, version: str, name: str, since: Callable[[str], ChangedSince]) -> None:
    """Problem 412 when ``seen`` is said and is not ``version``, with what ``since`` tells of the time between."""
    if seen is None or seen == version:
        return
    told = since(seen)
    whom = f" since you looked, by {' and '.join(told.by)}" if told.by else " since you looked"
    raise Problem(
        412,
        "changed_since",
        f"{name} was changed{whom}.",
        " ".join(f"{text}." for text in told.changes),
        "Look at it as it is now, then do it again. Nothing was done.",
        changes=told.changes,
        changed_by=told.by,
        changed_at=told.at.isoformat() if told.at else None,
    )
