from django.apps import AppConfig


class ImagesConfig(AppConfig):
    name = "movelot.images"
