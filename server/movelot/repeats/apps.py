from django.apps import AppConfig


class RepeatsConfig(AppConfig):
    name = "movelot.repeats"
