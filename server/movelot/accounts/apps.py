"""The schema's entry for our session sign-in is known once the application starts."""

from django.apps import AppConfig


class AccountsConfig(AppConfig):
    name = "movelot.accounts"

    def ready(self) -> None:
        from movelot.accounts import schema  # noqa: F401  (registers itself)
