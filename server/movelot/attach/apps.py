"""Attach's kinds of lots are registered when the application starts."""

from django.apps import AppConfig


class AttachConfig(AppConfig):
    name = "movelot.attach"

    def ready(self) -> None:
        from movelot.attach.drafting import AttachKind
        from movelot.attach.uplinks import UplinkKind
        from movelot.lots.drafting import register

        register(AttachKind())
        register(UplinkKind())
