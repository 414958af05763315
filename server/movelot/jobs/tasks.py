"""Jobs in the worker."""

from datetime import timedelta

from celery import shared_task
from django.utils.timezone import now

from movelot.jobs import work
from movelot.jobs.models import Job

KEPT = timedelta(days=7)


@shared_task
def do_job(key: int) -> None:
    """Do a job."""
    work.do(key)


@shared_task
def take_up_jobs() -> None:
    """Take up jobs whose worker died, and forget those that ended long ago."""
    work.take_up()
    Job.objects.filter(ended_at__lt=now() - KEPT).delete()
