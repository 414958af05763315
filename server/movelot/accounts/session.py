"""Session sign-in that answers 401 (not 403) to those who are signed out."""

from rest_framework.authentication import SessionAuthentication
from rest_framework.request import Request


class SessionSignIn(SessionAuthentication):
    """Django's session with CSRF checks; names itself so that DRF answers 401."""

    def authenticate_header(self, request: Request) -> str:
        return 'Session realm="movelot"'
