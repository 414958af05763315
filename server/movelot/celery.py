"""The worker's application: tasks are found in each app's ``tasks`` module."""

import os

from celery import Celery

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "movelot.settings")

app = Celery("movelot")
app.config_from_object("django.conf:settings", namespace="CELERY")
app.autodiscover_tasks()
