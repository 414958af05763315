"""Move Lot: the Django project."""

from movelot.celery import app as celery_app

__all__ = ["celery_app"]
