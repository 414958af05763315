from django.apps import AppConfig


class AuditConfig(AppConfig):
    name = "movelot.audit"

    def ready(self) -> None:
        from movelot.audit.jobs import ProveJob
        from movelot.jobs.work import register

        register(ProveJob())
