"""Jobs on devices are made known when the application starts."""

from django.apps import AppConfig


class DevicesConfig(AppConfig):
    name = "movelot.devices"

    def ready(self) -> None:
        from movelot.devices.jobs import RereadJob
        from movelot.jobs.work import register

        register(RereadJob())
