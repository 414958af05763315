"""How the API schema names our session sign-in."""

from typing import Any

from drf_spectacular.extensions import OpenApiAuthenticationExtension


class SessionScheme(OpenApiAuthenticationExtension):  # type: ignore[no-untyped-call]
    """A session cookie; changes also need the X-CSRFToken header."""

    target_class = "movelot.accounts.session.SessionSignIn"
    name = "session"

    def get_security_definition(self, auto_schema: Any) -> dict[str, str]:
        return {"type": "apiKey", "in": "cookie", "name": "sessionid"}
