"""Balance's kind of lot is registered when the application starts."""

from django.apps import AppConfig


class BalanceConfig(AppConfig):
    name = "movelot.balance"

    def ready(self) -> None:
        from movelot.balance.drafting import BalanceKind
        from movelot.lots.drafting import register

        register(BalanceKind())
