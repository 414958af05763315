"""How long a browser stays signed in: not longer than a day's work, and not while nobody is there.

Pages ask the server by themselves, so a request alone does not show that somebody is there: the front end says so
(``X-Movelot-Active``) where a key or the mouse was touched within the last minute.
"""

from __future__ import annotations

from collections.abc import Callable
from datetime import datetime, timedelta

from django.conf import settings
from django.contrib.auth import logout
from django.contrib.auth.signals import user_logged_in, user_logged_out
from django.dispatch import receiver
from django.http import HttpRequest, HttpResponse
from django.utils.timezone import now
from rest_framework.permissions import SAFE_METHODS

from movelot.accounts.models import SignIn, User

WRITTEN_EVERY = timedelta(minutes=1)
BEGAN, SEEN = "began", "seen"


@receiver(user_logged_in)
def _begin(sender: object, request: HttpRequest, user: User, **_more: object) -> None:
    """Note the browser, so that its person can end it from elsewhere."""
    if not request.session.session_key:
        request.session.save()
    moment = now()
    request.session[BEGAN] = request.session[SEEN] = moment.isoformat()
    address, browser = request.META.get("REMOTE_ADDR", ""), request.headers.get("User-Agent", "")
    values = {"person": user, "address": address[:64], "browser": browser[:200], "seen_at": moment}
    SignIn.objects.update_or_create(session_key=request.session.session_key, defaults=values)


@receiver(user_logged_out)
def _end(sender: object, request: HttpRequest, **_more: object) -> None:
    SignIn.objects.filter(session_key=request.session.session_key or "").delete()


class SessionLimits:
    """Signs out whoever was away for too long, or signed in too long ago."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        # Most answers need no session: it is not loaded for them.
        if settings.SESSION_COOKIE_NAME in request.COOKIES and request.path.startswith("/api/"):
            self._limit(request)
        return self.get_response(request)

    def _limit(self, request: HttpRequest) -> None:
        session, moment = request.session, now()
        if BEGAN not in session:
            return
        began, seen = datetime.fromisoformat(session[BEGAN]), datetime.fromisoformat(session[SEEN])
        idle = timedelta(minutes=settings.SESSION_IDLE_MINUTES)
        if moment - seen > idle or moment - began > timedelta(hours=settings.SESSION_HOURS):
            logout(request)
            return
        somebody = request.method not in SAFE_METHODS or "X-Movelot-Active" in request.headers
        if somebody and moment - seen > WRITTEN_EVERY:
            session[SEEN] = moment.isoformat()
            SignIn.objects.filter(session_key=session.session_key).update(seen_at=moment)
