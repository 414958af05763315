"""Every call of the API that changed something is in the audit trail: no view can forget it."""

from __future__ import annotations

import json
from collections.abc import Callable
from typing import Any

from django.http import HttpRequest, HttpResponse

from movelot.audit.trail import Changed, add

READS = ("GET", "HEAD", "OPTIONS", "TRACE")
BODY_MAX = 100_000
VERBS = {"POST": "create", "PUT": "change", "PATCH": "change", "DELETE": "remove"}


class AuditTrail:
    """Writes an entry once a view has answered that it did what was asked."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        changes = request.method not in READS and request.path.startswith("/api/")
        sent = _sent(request) if changes else None
        # Who signs out is nobody afterwards, who signs in was nobody before.
        person = request.user if changes and request.user.is_authenticated else None
        response = self.get_response(request)
        if changes and response.status_code < 400:
            told: Changed = getattr(request, "audit", None) or Changed(_subject(request.path), None, sent)
            add(request, person or request.user, _what(request), told)
        return response


def _sent(request: HttpRequest) -> Any:
    """What was sent, where it is JSON of a size that tells something; files are not kept."""
    if request.content_type != "application/json" or int(request.META.get("CONTENT_LENGTH") or 0) > BODY_MAX:
        return None
    try:
        return json.loads(request.body or b"null")
    except ValueError:
        return None


def _parts(path: str) -> list[str]:
    return [part for part in path.removeprefix("/api/").split("/") if part]


def _what(request: HttpRequest) -> str:
    """What was done: ``lots run``, ``attach drafts change``."""
    words = [part for part in _parts(request.path) if not part.isdigit()]
    acts = {"run", "check", "halt", "undo", "carried_out", "reread", "probe", "import", "export", "proof"}
    return " ".join(words if words and words[-1] in acts else [*words, VERBS[str(request.method)]])


def _subject(path: str) -> str:
    """``lot 12`` for /api/lots/12/run/; the path itself where it names nothing by number."""
    parts = _parts(path)
    for n, part in enumerate(parts):
        if part.isdigit() and n:
            kind = "lot" if parts[n - 1].endswith(("drafts", "lots", "detach")) else parts[n - 1].removesuffix("s")
            return f"{kind} {part}"
    return "/".join(parts)
