"""Signing in and out."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from axes.handlers.proxy import AxesProxyHandler
from django.contrib.auth import authenticate, login, logout
from django.middleware.csrf import get_token
from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.permissions import AllowAny
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView
from rest_framework_dataclasses.serializers import DataclassSerializer

from movelot.accounts.lockout import seconds_left
from movelot.accounts.models import User
from movelot.accounts.rates import SignInsPerMinute
from movelot.problems import Problem
from movelot_core.units import count_of


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


def _locked(name: str, address: str) -> Problem:
    left = seconds_left(name, address)
    message = f"From your address this name is locked for {count_of(-(-left // 60), 'more minute')}."
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
            raise _locked(name, request.META.get("REMOTE_ADDR", ""))
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
