"""Behind a proxy that ends TLS: who asked, and whether over TLS, is believed of its address and of nobody else."""

from __future__ import annotations

from collections.abc import Callable

from django.conf import settings
from django.http import HttpRequest, HttpResponse

FORWARDED = ("HTTP_X_FORWARDED_FOR", "HTTP_X_FORWARDED_PROTO", "HTTP_X_FORWARDED_HOST", "HTTP_FORWARDED")


class TrustedProxy:
    """Takes the caller's address from the proxy, forgets such headers of anybody else, and keeps cookies to TLS."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        if request.META.get("REMOTE_ADDR") in settings.TRUSTED_PROXIES:
            # What stands last was written by the proxy, what stands before it by whoever asked.
            caller = request.META.get("HTTP_X_FORWARDED_FOR", "").rpartition(",")[2].strip()
            request.META["REMOTE_ADDR"] = caller[:64] or request.META["REMOTE_ADDR"]
        else:
            for name in FORWARDED:
                request.META.pop(name, None)
            # gunicorn believes such a header of everybody on this machine.
            request.META["wsgi.url_scheme"] = "http"
        response = self.get_response(request)
        if request.is_secure():
            for cookie in response.cookies.values():
                cookie["secure"] = True
        return response
