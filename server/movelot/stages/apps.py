"""What the stages bring is made known when the application starts."""

from django.apps import AppConfig


class StagesConfig(AppConfig):
    name = "movelot.stages"

    def ready(self) -> None:
        from movelot.stages.base import bring, stages

        for stage in stages():
            bring(stage)
