"""The way in for who was invited: look at the link, set a password, be signed in."""

from __future__ import annotations

from dataclasses import dataclass

from django.contrib.auth import login
from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.permissions import AllowAny
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView
from rest_framework_dataclasses.serializers import DataclassSerializer

from movelot.accounts.invitations import accept, invitation_of
from movelot.accounts.models import Role
from movelot.accounts.rates import SignInsPerMinute
from movelot.accounts.views import PASSWORD_BACKEND, SessionSerializer, session_of
from movelot.audit.trail import tell


@dataclass
class Welcome:
    """Who a link is for; ``name`` is empty for the first administrator, who chooses one."""

    name: str
    role: str


class WelcomeSerializer(DataclassSerializer[Welcome]):
    class Meta:
        dataclass = Welcome


class LinkedSerializer(serializers.Serializer[dict[str, str]]):
    secret = serializers.CharField(max_length=64)


class AcceptSerializer(LinkedSerializer):
    name = serializers.CharField(max_length=150, allow_blank=True, default="")
    password = serializers.CharField(max_length=200, trim_whitespace=False)


class WelcomeView(APIView):
    """Who a link is for."""

    authentication_classes = ()
    permission_classes = [AllowAny]
    throttle_classes = [SignInsPerMinute]

    @extend_schema(request=LinkedSerializer, responses=WelcomeSerializer)
    def post(self, request: Request) -> Response:
        given = LinkedSerializer(data=request.data)
        given.is_valid(raise_exception=True)
        person = invitation_of(given.validated_data["secret"]).person
        answer = Welcome(person.username, person.role) if person else Welcome("", Role.ADMINISTRATOR)
        return Response(WelcomeSerializer(answer).data)


class AcceptView(APIView):
    """Set the password that the link is for, and be signed in."""

    permission_classes = [AllowAny]
    throttle_classes = [SignInsPerMinute]

    @extend_schema(request=AcceptSerializer, responses=SessionSerializer)
    def post(self, request: Request) -> Response:
        given = AcceptSerializer(data=request.data)
        given.is_valid(raise_exception=True)
        person = accept(**given.validated_data)
        tell(request, f"person {person.username}", None, {"role": person.role})
        login(request._request, person, PASSWORD_BACKEND)
        request.user = person
        return Response(SessionSerializer(session_of(request)).data)
