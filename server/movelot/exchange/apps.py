"""Open formats in and out."""

from django.apps import AppConfig


class ExchangeConfig(AppConfig):
    name = "movelot.exchange"
