"""People, as administrators keep them."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime

from axes.utils import reset
from django.db import transaction
from django.db.models import Exists, Max, OuterRef, QuerySet
from django.shortcuts import get_object_or_404
from drf_spectacular.utils import extend_schema
from rest_framework import serializers, status
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView
from rest_framework_dataclasses.serializers import DataclassSerializer

from movelot.accounts.invitations import end_sign_ins, invite
from movelot.accounts.lockout import locking
from movelot.accounts.models import Invitation, Role, User
from movelot.accounts.roles import AdministratorsInPerson, person
from movelot.audit.trail import tell
from movelot.problems import Problem

LISTED_MAX = 500


@dataclass
class PersonAnswer:
    """A person. ``invited`` while a link waits to be used; ``locked`` after too many failed sign-ins somewhere."""

    id: int
    name: str
    role: str
    active: bool
    invited: bool
    locked: bool
    seen_at: datetime | None


class PersonSerializer(DataclassSerializer[PersonAnswer]):
    class Meta:
        dataclass = PersonAnswer


@dataclass
class InvitedAnswer:
    """A person, and the link to hand over, which is shown once."""

    person: PersonAnswer
    link: str


class InvitedSerializer(DataclassSerializer[InvitedAnswer]):
    class Meta:
        dataclass = InvitedAnswer


class NewPersonSerializer(serializers.ModelSerializer[User]):
    """A name that nobody has, and a role."""

    class Meta:
        model = User
        fields = ["username", "role"]


class RoleSerializer(serializers.Serializer[dict[str, object]]):
    role = serializers.ChoiceField(choices=Role.choices)
    active = serializers.BooleanField()


def _answers(people: QuerySet[User]) -> list[PersonAnswer]:
    locked = set(locking().values_list("username", flat=True))
    waiting = Exists(Invitation.objects.filter(person=OuterRef("pk")))
    rows = people.annotate(waits=waiting, seen=Max("sign_ins__seen_at")).order_by("username")[:LISTED_MAX]
    return [
        PersonAnswer(
            row.pk, row.username, row.role, row.is_active, row.waits, row.username in locked, row.seen or row.last_login
        )
        for row in rows
    ]


def _answer(person: User) -> PersonAnswer:
    return _answers(User.objects.filter(pk=person.pk))[0]


def link_of(secret: str) -> str:
    """The way to the page that takes the secret, from the application's own address; it stays out of servers' logs."""
    return f"/welcome#{secret}"


class PeopleView(APIView):
    """Everybody who may sign in, or could once."""

    permission_classes = [AdministratorsInPerson]

    @extend_schema(responses=PersonSerializer(many=True), operation_id="people_list")
    def get(self, request: Request) -> Response:
        return Response(PersonSerializer(_answers(User.objects.all()), many=True).data)

    @extend_schema(request=NewPersonSerializer, responses={201: InvitedSerializer})
    def post(self, request: Request) -> Response:
        given = NewPersonSerializer(data=request.data)
        given.is_valid(raise_exception=True)
        with transaction.atomic():
            new = User(**given.validated_data)
            new.set_unusable_password()
            new.save()
            link = link_of(invite(new))
        tell(request, f"person {new.username}", None, {"role": new.role})
        answer = InvitedSerializer(InvitedAnswer(_answer(new), link)).data
        return Response(answer, status.HTTP_201_CREATED, headers={"Cache-Control": "no-store"})


class PersonView(APIView):
    """One person: role, and whether they may sign in."""

    permission_classes = [AdministratorsInPerson]

    @extend_schema(request=RoleSerializer, responses=PersonSerializer)
    def put(self, request: Request, pk: int) -> Response:
        given = RoleSerializer(data=request.data)
        given.is_valid(raise_exception=True)
        with transaction.atomic():
            # All administrators are locked, so that two cannot take each other's role at once.
            others = list(User.objects.select_for_update().filter(role=Role.ADMINISTRATOR, is_active=True))
            who = get_object_or_404(User.objects.select_for_update(), pk=pk)
            before = {"role": who.role, "active": who.is_active}
            who.role, who.is_active = given.validated_data["role"], given.validated_data["active"]
            if not who.is_active or who.role != Role.ADMINISTRATOR:
                self._demand_another(who, others)
            who.save(update_fields=["role", "is_active"])
            if not who.is_active:
                end_sign_ins(who)
                who.tokens.all().delete()
                who.invitations.all().delete()
        tell(request, f"person {who.username}", before, dict(given.validated_data))
        return Response(PersonSerializer(_answer(who)).data)

    def _demand_another(self, who: User, administrators: list[User]) -> None:
        if who.pk in {each.pk for each in administrators} and len(administrators) == 1:
            message = f"{who.username} is the only administrator."
            raise Problem(409, "last_administrator", message, "Nothing was changed.", "Make somebody else one first.")


class PersonLinkView(APIView):
    """A new link for a person who has lost the password: it counts no more from now on."""

    permission_classes = [AdministratorsInPerson]

    @extend_schema(request=None, responses={201: InvitedSerializer})
    def post(self, request: Request, pk: int) -> Response:
        who = get_object_or_404(User, pk=pk)
        if who == person(request):
            raise Problem(409, "own_link", "Your own password is changed under Account.", "Nothing was changed.")
        with transaction.atomic():
            who.set_unusable_password()
            who.save(update_fields=["password"])
            end_sign_ins(who)
            link = link_of(invite(who))
        tell(request, f"person {who.username}")
        answer = InvitedSerializer(InvitedAnswer(_answer(who), link)).data
        return Response(answer, status.HTTP_201_CREATED, headers={"Cache-Control": "no-store"})


class PersonLockView(APIView):
    """The lock after failed sign-ins: let the person try again."""

    permission_classes = [AdministratorsInPerson]

    @extend_schema(responses={204: None})
    def delete(self, request: Request, pk: int) -> Response:
        who = get_object_or_404(User, pk=pk)
        reset(username=who.username)
        tell(request, f"person {who.username}", {"locked": True}, {"locked": False})
        return Response(status=status.HTTP_204_NO_CONTENT)
