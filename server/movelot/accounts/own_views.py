"""What everybody keeps for themselves: password, sessions, tokens."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import TypeVar

from django.contrib.auth import update_session_auth_hash
from django.contrib.sessions.models import Session as StoredSession
from django.db.models import QuerySet
from django.shortcuts import get_object_or_404
from django.utils.timezone import now
from drf_spectacular.utils import extend_schema
from rest_framework import serializers, status
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView
from rest_framework_dataclasses.serializers import DataclassSerializer

from movelot.accounts.invitations import demand_good_password, end_sign_ins
from movelot.accounts.models import ApiToken, SignIn
from movelot.accounts.once import digest_of, new_secret
from movelot.accounts.rates import SignInsPerMinute
from movelot.accounts.roles import InPerson, person
from movelot.accounts.tokens import PREFIX
from movelot.audit.trail import tell
from movelot.problems import Problem

TOKEN_DAYS_MAX = 366
LISTED_MAX = 500
Owned = TypeVar("Owned", SignIn, ApiToken)


def _visible(rows: QuerySet[Owned], request: Request) -> QuerySet[Owned]:
    """One's own; everybody's for an administrator."""
    rows = rows.select_related("person")
    return rows if person(request).administers else rows.filter(person=person(request))


class PasswordSerializer(serializers.Serializer[dict[str, str]]):
    old = serializers.CharField(max_length=200, trim_whitespace=False)
    new = serializers.CharField(max_length=200, trim_whitespace=False)


class PasswordView(APIView):
    """One's own password. All other sessions of the person end."""

    permission_classes = [InPerson]
    throttle_classes = [SignInsPerMinute]

    @extend_schema(request=PasswordSerializer, responses={204: None})
    def put(self, request: Request) -> Response:
        given = PasswordSerializer(data=request.data)
        given.is_valid(raise_exception=True)
        who = person(request)
        if not who.check_password(given.validated_data["old"]):
            raise Problem(400, "refused", "The old password is wrong.", "The password stays as it is.")
        demand_good_password(given.validated_data["new"], who)
        who.set_password(given.validated_data["new"])
        who.save(update_fields=["password"])
        here = SignIn.objects.filter(session_key=request._request.session.session_key)
        # The session has another key from here on.
        update_session_auth_hash(request._request, who)
        key = request._request.session.session_key or ""
        here.update(session_key=key)
        end_sign_ins(who, but=key)
        tell(request, f"person {who.username}")
        return Response(status=status.HTTP_204_NO_CONTENT)


@dataclass
class SignInAnswer:
    """A browser in which somebody is signed in; ``this`` where it is the one that asks."""

    id: int
    person: str
    address: str
    browser: str
    began_at: datetime
    seen_at: datetime
    this: bool


class SignInSerializer(DataclassSerializer[SignInAnswer]):
    class Meta:
        dataclass = SignInAnswer


class SignInsView(APIView):
    """Browsers in which one is signed in; those of everybody for an administrator."""

    permission_classes = [InPerson]

    @extend_schema(responses=SignInSerializer(many=True), operation_id="sign_ins_list")
    def get(self, request: Request) -> Response:
        rows = _visible(SignIn.objects.order_by("-seen_at"), request)
        # Sessions that ran out are deleted by nobody.
        there = StoredSession.objects.filter(expire_date__gt=now()).values("session_key")
        here = request._request.session.session_key
        answers = [
            SignInAnswer(
                row.pk,
                row.person.username,
                row.address,
                row.browser,
                row.began_at,
                row.seen_at,
                row.session_key == here,
            )
            for row in rows.filter(session_key__in=there)[:LISTED_MAX]
        ]
        return Response(SignInSerializer(answers, many=True).data)


class SignInView(APIView):
    """One browser: sign it out."""

    permission_classes = [InPerson]

    @extend_schema(responses={204: None})
    def delete(self, request: Request, pk: int) -> Response:
        row = get_object_or_404(_visible(SignIn.objects.all(), request), pk=pk)
        StoredSession.objects.filter(session_key=row.session_key).delete()
        row.delete()
        tell(request, f"session of {row.person.username} from {row.address}")
        return Response(status=status.HTTP_204_NO_CONTENT)


@dataclass
class TokenAnswer:
    """A token; ``secret`` is there once, in the answer that makes it."""

    id: int
    person: str
    name: str
    reads_only: bool
    made_at: datetime
    expires_at: datetime
    used_at: datetime | None
    secret: str


class TokenSerializer(DataclassSerializer[TokenAnswer]):
    class Meta:
        dataclass = TokenAnswer


class NewTokenSerializer(serializers.Serializer[dict[str, object]]):
    name = serializers.CharField(max_length=64)
    reads_only = serializers.BooleanField(default=True)
    days = serializers.IntegerField(min_value=1, max_value=TOKEN_DAYS_MAX, default=90)


def token_answer(token: ApiToken, secret: str = "") -> TokenAnswer:
    return TokenAnswer(
        token.pk,
        token.person.username,
        token.name,
        token.reads_only,
        token.made_at,
        token.expires_at,
        token.used_at,
        secret,
    )


class TokensView(APIView):
    """One's tokens; those of everybody for an administrator."""

    permission_classes = [InPerson]

    @extend_schema(responses=TokenSerializer(many=True), operation_id="tokens_list")
    def get(self, request: Request) -> Response:
        rows = _visible(ApiToken.objects.order_by("name"), request)[:LISTED_MAX]
        return Response(TokenSerializer([token_answer(row) for row in rows], many=True).data)

    @extend_schema(request=NewTokenSerializer, responses={201: TokenSerializer})
    def post(self, request: Request) -> Response:
        given = NewTokenSerializer(data=request.data)
        given.is_valid(raise_exception=True)
        values, who, secret = given.validated_data, person(request), new_secret(PREFIX)
        if who.tokens.filter(name=values["name"]).exists():
            message = f"You have a token named {values['name']} already."
            raise Problem(409, "name_taken", message, "No token was made.", "Choose another name, or revoke that one.")
        token = ApiToken.objects.create(
            person=who,
            name=values["name"],
            reads_only=values["reads_only"],
            digest=digest_of(secret),
            expires_at=now() + timedelta(days=values["days"]),
        )
        tell(request, f"token {token.name}", None, {"reads_only": token.reads_only, "days": values["days"]})
        answer = TokenSerializer(token_answer(token, secret)).data
        return Response(answer, status.HTTP_201_CREATED, headers={"Cache-Control": "no-store"})


class TokenView(APIView):
    """One token: revoke it."""

    permission_classes = [InPerson]

    @extend_schema(responses={204: None})
    def delete(self, request: Request, pk: int) -> Response:
        token = get_object_or_404(_visible(ApiToken.objects.all(), request), pk=pk)
        tell(request, f"token {token.name} of {token.person.username}")
        token.delete()
        return Response(status=status.HTTP_204_NO_CONTENT)
