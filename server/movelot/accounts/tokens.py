"""Programs sign in with ``Authorization: Bearer movelot_…``: a token of a person, good for no more than they may do."""

from __future__ import annotations

from datetime import timedelta

from django.utils.timezone import now
from rest_framework.authentication import BaseAuthentication
from rest_framework.exceptions import AuthenticationFailed
from rest_framework.request import Request

from movelot.accounts.models import ApiToken, Role, User
from movelot.accounts.once import digest_of

PREFIX = "movelot_"
WRITTEN_EVERY = timedelta(minutes=1)


class TokenSignIn(BaseAuthentication):
    """The person of the token in the header; one that reads only makes an auditor of them for this request."""

    def authenticate(self, request: Request) -> tuple[User, ApiToken] | None:
        word, _, secret = request.headers.get("Authorization", "").partition(" ")
        if word.lower() != "bearer":
            return None
        moment = now()
        token = ApiToken.objects.select_related("person").filter(digest=digest_of(secret.strip())).first()
        if token is None or token.expires_at <= moment or not token.person.is_active:
            raise AuthenticationFailed("This token is not valid.")
        if token.used_at is None or moment - token.used_at > WRITTEN_EVERY:
            ApiToken.objects.filter(pk=token.pk).update(used_at=moment)
        person = token.person
        if token.reads_only:
            person.role = Role.AUDITOR
        return person, token

    def authenticate_header(self, request: Request) -> str:
        return 'Bearer realm="movelot"'
