"""How the API schema names the ways to sign in."""

from typing import Any

from drf_spectacular.extensions import OpenApiAuthenticationExtension


class SessionScheme(OpenApiAuthenticationExtension):  # type: ignore[no-untyped-call]
    """A session cookie; changes also need the X-CSRFToken header."""

    target_class = "movelot.accounts.session.SessionSignIn"
    name = "session"

    def get_security_definition(self, auto_schema: Any) -> dict[str, str]:
        return {"type": "apiKey", "in": "cookie", "name": "sessionid"}


class TokenScheme(OpenApiAuthenticationExtension):  # type: ignore[no-untyped-call]
    """A token of a program."""

    target_class = "movelot.accounts.tokens.TokenSignIn"
    name = "token"

    def get_security_definition(self, auto_schema: Any) -> dict[str, str]:
        return {"type": "http", "scheme": "bearer"}
