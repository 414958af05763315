"""One error shape for the whole API: RFC 9457 problem details.

Problem                what a person can act on; carries a code, a title, a detail and the way on
CoreError (core)       mapped here to 422
DRF's own exceptions   mapped here, validation errors field by field
a request too large    413
a database away, full  503, 507
anything else          500 without a trace; the log has it
"""

from __future__ import annotations

import logging
import math
import sys
from typing import Any

from django.conf import settings
from django.core.exceptions import PermissionDenied, RequestDataTooBig
from django.db import DatabaseError, InterfaceError
from django.http import Http404, HttpRequest, HttpResponse, JsonResponse
from rest_framework import exceptions
from rest_framework.response import Response
from rest_framework.views import set_rollback

from movelot_core.errors import CoreError
from movelot_core.units import format_size

log = logging.getLogger(__name__)


class Problem(Exception):
    """An error for a person: what happened (``detail``), what stayed as it was, and the way on (``hint``)."""

    def __init__(self, status: int, code: str, title: str, detail: str = "", hint: str = "", **more: Any) -> None:
        super().__init__(title)
        self.status, self.code, self.title, self.detail, self.hint, self.more = status, code, title, detail, hint, more


def body(status: int, code: str, title: str, detail: str = "", hint: str = "", **more: Any) -> dict[str, Any]:
    """The problem document. ``type`` is a relative URI made of the code."""
    return {
        "type": f"/problems/{code}",
        "status": status,
        "code": code,
        "title": title,
        "detail": detail,
        "hint": hint,
        **more,
    }


def document_of(error: Exception) -> dict[str, Any]:
    """The problem document of an error, as for a request; of one that nobody foresaw without its details."""
    if isinstance(error, Problem):
        return body(error.status, error.code, error.title, error.detail, error.hint, **error.more)
    if isinstance(error, CoreError):
        return body(422, error.code, error.message, hint=error.hint)
    return body(
        500,
        "unexpected",
        "Something went wrong on our side.",
        "See where things stand before you try again.",
        "Try again; if it stays, see the server's log.",
    )


# What MariaDB and its client call connections that cannot be made, or that ended in the middle.
DATABASE_AWAY = {1040, 1053, 1158, 1159, 1160, 1161, 1927, 2002, 2003, 2006, 2013, 2055}
DATABASE_FULL = {3, 28, 1021, 1030, 1114}


def of_database(error: BaseException | None) -> Problem | None:
    """The problem of a database that is away or full; None for any other error."""
    if not isinstance(error, DatabaseError | InterfaceError):
        return None
    number = error.args[0] if error.args else 0
    if isinstance(error, InterfaceError) or number in DATABASE_AWAY:
        hint = "It is started anew by itself; try again in a moment. Lots that run go on from where they were."
        return Problem(503, "database_away", "Move Lot's database does not answer.", "Nothing was changed.", hint)
    if number in DATABASE_FULL:
        hint = "Make room where Move Lot keeps its data, then try again."
        return Problem(507, "database_full", "Move Lot's database has no room left.", "Nothing was changed.", hint)
    return None


def server_error(request: HttpRequest) -> HttpResponse:
    """Django's hook for what went wrong outside of a view of the API, in the same shape as everything else."""
    problem = of_database(sys.exc_info()[1])
    document = document_of(problem if problem else Exception())
    return JsonResponse(document, status=document["status"], content_type="application/problem+json")


def respond(document: dict[str, Any]) -> Response:
    headers = {"Retry-After": str(document["retry_after"])} if "retry_after" in document else None
    return Response(document, document["status"], headers=headers, content_type="application/problem+json")


def handle(error: Exception, _context: dict[str, Any]) -> Response | None:
    """DRF's hook: any exception of a view as a problem document."""
    set_rollback()
    if isinstance(error, (Problem, CoreError)):
        return respond(document_of(error))
    if isinstance(error, (Http404, exceptions.NotFound)):
        return respond(
            body(404, "not_found", "There is no such thing.", hint="It may have been removed; go back and reload.")
        )
    if isinstance(error, exceptions.ValidationError):
        return respond(body(400, "invalid", "The request does not fit.", fields=error.detail))
    if isinstance(error, (PermissionDenied, exceptions.PermissionDenied)):
        reason = str(getattr(error, "detail", "")) or "Your role may not do this."
        return respond(body(403, "not_allowed", reason, hint="Ask somebody whose role allows it."))
    if isinstance(error, (exceptions.NotAuthenticated, exceptions.AuthenticationFailed)):
        answer = respond(body(401, "signed_out", "You are signed out.", hint="Sign in; what you typed is kept."))
        answer["WWW-Authenticate"] = getattr(error, "auth_header", None) or 'Session realm="movelot"'
        return answer
    if isinstance(error, exceptions.Throttled):
        seconds = math.ceil(getattr(error, "wait", None) or 1)
        message = f"Too many requests: go on in {seconds} s."
        return respond(body(429, "too_many", message, "This one did nothing.", "Ask less often.", retry_after=seconds))
    if isinstance(error, exceptions.APIException):
        return respond(body(error.status_code, str(error.default_code), str(error.detail)))
    if isinstance(error, RequestDataTooBig):
        most = format_size(settings.DATA_UPLOAD_MAX_MEMORY_SIZE)
        title = f"The request is too large: {most} are taken at most."
        return respond(body(413, "too_large", title, "Nothing was stored.", "Send less at once."))
    away = of_database(error)
    if away:
        log.error("%s (%s)", away.title, error)
        return respond(document_of(away))
    log.exception("unexpected error")
    return respond(document_of(error))
