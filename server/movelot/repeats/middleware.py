"""Idempotency-Key: a creating call whose answer was lost may be made again, and is carried out once.

The client makes up a key for each thing it wants made, and sends it again with the same call. The answer is stored in
the transaction that did the work, so that there is never the one without the other; of two calls at once the second
waits for the first. Refused calls are not kept: they did nothing, and may be made again.
"""

from __future__ import annotations

import hashlib
from collections.abc import Callable
from datetime import timedelta

from django.db import IntegrityError, transaction
from django.http import HttpRequest, HttpResponse, JsonResponse
from django.utils.timezone import now
from rest_framework.utils.encoders import JSONEncoder

from movelot.accounts.models import User
from movelot.problems import body
from movelot.repeats.models import AnsweredCall

HEADER = "Idempotency-Key"
KEY_MAX = 64
KEPT = timedelta(days=1)
# What is kept of an answer that has a secret in it.
SHOWN_ONCE = (
    409,
    "shown_once",
    "This was done already; its secret was shown then.",
    "Take it back and make a new one.",
)


class Repeats:
    """Carries out a POST with a key once, and answers it again as it was answered then."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        key = request.headers.get(HEADER, "")
        if request.method != "POST" or not key or not isinstance(request.user, User) or not _is_json(request):
            return self.get_response(request)
        if len(key) > KEY_MAX:
            return _problem(400, "key_too_long", f"An {HEADER} has at most {KEY_MAX} characters.")
        asked = hashlib.sha256(request.get_full_path().encode() + b"\n" + request.body).hexdigest()
        before = AnsweredCall.objects.filter(person=request.user, key=key).first()
        if before is None:
            try:
                return self._carried_out(request, request.user, key, asked)
            except IntegrityError:
                # The same call was under way beside this one, and is done by now.
                before = AnsweredCall.objects.filter(person=request.user, key=key).first()
                if before is None:
                    raise
        if before.asked != asked:
            return _problem(422, "key_reused", f"This {HEADER} was used for another call.", "Make up a new one.")
        return _as_answered(before)

    def _carried_out(self, request: HttpRequest, person: User, key: str, asked: str) -> HttpResponse:
        with transaction.atomic():
            call = AnsweredCall.objects.create(person=person, key=key, asked=asked)
            response = self.get_response(request)
            if response.status_code >= 400:
                transaction.set_rollback(True)
                return response
            kept = response if response.get("Cache-Control") != "no-store" else _problem(*SHOWN_ONCE)
            call.status, call.body = kept.status_code, kept.content
            call.content_type, call.etag = kept.get("Content-Type", ""), kept.get("ETag", "")
            call.save()
        return response


def _is_json(request: HttpRequest) -> bool:
    """Calls that create carry JSON or nothing; files are not read here."""
    return request.content_type in ("", "application/json", "text/plain")


def _as_answered(call: AnsweredCall) -> HttpResponse:
    headers = {"Idempotency-Replayed": "true"} | ({"ETag": call.etag} if call.etag else {})
    return HttpResponse(bytes(call.body), status=call.status, content_type=call.content_type, headers=headers)


def _problem(status: int, code: str, title: str, hint: str = "") -> HttpResponse:
    document = body(status, code, title, "Nothing was done.", hint)
    return JsonResponse(document, JSONEncoder, status=status, content_type="application/problem+json")


def forget_old() -> int:
    """Let go of answers that nobody waits for any more; how many there were."""
    return AnsweredCall.objects.filter(at__lt=now() - KEPT).delete()[0]
