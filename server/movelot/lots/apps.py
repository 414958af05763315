"""Jobs on lots are made known when the application starts."""

from django.apps import AppConfig


class LotsConfig(AppConfig):
    name = "movelot.lots"

    def ready(self) -> None:
        from movelot.jobs.work import register
        from movelot.lots.jobs import CheckJob, DraftJob, RunJob, TakeBackJob

        register(CheckJob(), DraftJob(), RunJob(), TakeBackJob())
