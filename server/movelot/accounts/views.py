"""Signing in and out."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import timedelta
from typing import Any

from axes.handlers.proxy import AxesProxyHandler
from axes.models import AccessAttempt
from django.conf import settings
from django.contrib.auth import authenticate, login, logout
from django.db.models import Max
from django.middleware.csrf import get_token
from django.utils.timezone import now
from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.permissions import AllowAny
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView
from rest_framework_dataclasses.serializers import DataclassSerializer

from movelot.accounts.models import User
from movelot.accounts.rates import SignInsPerMinute
from movelot.problems import Problem


@dataclass
class Session:
    """Who is signed in; ``name`` is empty when nobody is. ``csrf`` goes into the X-CSRFToken header."""

    name: str
    role: str
    may_change: bool
    administers: bool
    csrf: str


PASSWORD_BACKEND = "django.contrib.auth.backends.ModelBackend"


class SessionSerializer(DataclassSerializer[Session]):
    class Meta:
        dataclass = Session


class SignInSerializer(serializers.Serializer[dict[str, str]]):
    username = serializers.CharField(max_length=150)
    password = serializers.CharField(max_length=200, trim_whitespace=False)


def session_of(request: Request) -> Session:
    user = request.user
    if isinstance(user, User):
        return Session(user.username, user.role, user.may_change, user.administers, get_token(request._request))
    return Session("", "", False, False, get_token(request._request))


def _locked(name: str) -> Problem:
    """Locked from the address it was tried from only: nobody locks out others by trying in their name."""
    last = AccessAttempt.objects.filter(username=name).aggregate(last=Max("attempt_time"))["last"] or now()
    cool_off = timedelta(hours=settings.AXES_COOLOFF_TIME)
    left = max(1, round((last + cool_off - now()).total_seconds()))
    message = f"From your address this name is locked for {-(-left // 60)} more minutes."
    hint = "Wait, or ask an administrator to unlock it."
    return Problem(429, "locked", "Too many failed attempts.", message, hint, retry_after=left)


class SessionView(APIView):
    """The session of this browser."""

    permission_classes = [AllowAny]

    def get_throttles(self) -> list[Any]:
        """Pages look at their session often; tries of passwords are few."""
        return [SignInsPerMinute()] if self.request.method == "POST" else super().get_throttles()

    @extend_schema(responses=SessionSerializer)
    def get(self, request: Request) -> Response:
        return Response(SessionSerializer(session_of(request)).data)

    @extend_schema(request=SignInSerializer, responses=SessionSerializer)
    def post(self, request: Request) -> Response:
        given = SignInSerializer(data=request.data)
        given.is_valid(raise_exception=True)
        name = given.validated_data["username"]
        if not AxesProxyHandler.is_allowed(request._request, {"username": name}):
            raise _locked(name)
        user = authenticate(request._request, username=name, password=given.validated_data["password"])
        if user is None:
            raise Problem(
                400,
                "refused",
                "Name or password is wrong.",
                hint="Check both; after 8 failures this name is locked for your address, for 15 minutes.",
            )
        login(request._request, user)
        request.user = user
        return Response(SessionSerializer(session_of(request)).data)

    @extend_schema(responses=SessionSerializer)
    def delete(self, request: Request) -> Response:
        logout(request._request)
        return Response(SessionSerializer(Session("", "", False, False, get_token(request._request))).data)
