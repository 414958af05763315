"""How many requests a minute may be made, by whoever is signed in, or by an address where nobody is."""

from __future__ import annotations

import time
from typing import TYPE_CHECKING

from django.conf import settings
from django.core.cache import cache
from rest_framework.request import Request
from rest_framework.throttling import BaseThrottle

if TYPE_CHECKING:
    from rest_framework.views import APIView

MINUTE = 60


class PerMinute(BaseThrottle):
    """Counts in Redis; while that is away nothing is counted, and nobody is kept out."""

    def allow_request(self, request: Request, view: APIView) -> bool:
        who, most = self._who(request)
        key = f"requests-{who}-{int(time.time() // MINUTE)}"
        cache.add(key, 0, 2 * MINUTE)
        try:
            return cache.incr(key) <= most
        except ValueError:
            return True

    def _who(self, request: Request) -> tuple[str, int]:
        if request.auth is not None:
            return f"token-{request.auth.pk}", settings.TOKEN_REQUESTS_PER_MINUTE
        if request.user.is_authenticated:
            return f"person-{request.user.pk}", settings.PERSON_REQUESTS_PER_MINUTE
        return f"address-{request.META.get('REMOTE_ADDR', '')}", settings.STRANGER_REQUESTS_PER_MINUTE

    def wait(self) -> float:
        """Seconds to the next minute."""
        return MINUTE - time.time() % MINUTE


class SignInsPerMinute(PerMinute):
    """Tries to sign in, or to use a link, from one address."""

    def _who(self, request: Request) -> tuple[str, int]:
        return f"tries-{request.META.get('REMOTE_ADDR', '')}", settings.TRIES_PER_MINUTE
