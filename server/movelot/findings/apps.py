"""Findings are told of all that readings change."""

from django.apps import AppConfig


class FindingsConfig(AppConfig):
    name = "movelot.findings"

    def ready(self) -> None:
        from movelot.findings.judging import mark_due
        from movelot.inventory.changes import listen

        listen(mark_due)
