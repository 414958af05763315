"""Who may do what, enforced for every view by default."""

from __future__ import annotations

from typing import TYPE_CHECKING, cast

from rest_framework.permissions import SAFE_METHODS, BasePermission
from rest_framework.request import Request

if TYPE_CHECKING:
    from rest_framework.views import APIView

    from movelot.accounts.models import User


def person(request: Request) -> User:
    """Who makes the request; views are reached by signed-in people only."""
    return cast("User", request.user)


class ReadsOrRole(BasePermission):
    """Signed-in people read; only roles that may change may do anything else. The denial says so."""

    message = "Your role reads only; it may not change anything."

    def has_permission(self, request: Request, view: APIView) -> bool:
        user = request.user
        if not user.is_authenticated:
            return False
        return request.method in SAFE_METHODS or user.may_change


class ReadsOrStorage(ReadsOrRole):
    """Signed-in people read; only the storage team does anything else."""

    message = "Pools are granted by the storage team."

    def has_permission(self, request: Request, view: APIView) -> bool:
        if request.method in SAFE_METHODS:
            return super().has_permission(request, view)
        return bool(request.user.is_authenticated and request.user.grants_pools)


class InPerson(BasePermission):
    """Whoever is signed in, in a browser: a token makes no tokens and sets no password."""

    message = "A token may not do this; sign in."

    def has_permission(self, request: Request, view: APIView) -> bool:
        return bool(request.user.is_authenticated and request.auth is None)


class AdministratorsInPerson(InPerson):
    """Administrators in a browser, also to read: who the others are and where they sign in concerns nobody else."""

    message = "This is for administrators who are signed in."

    def has_permission(self, request: Request, view: APIView) -> bool:
        return super().has_permission(request, view) and person(request).administers
