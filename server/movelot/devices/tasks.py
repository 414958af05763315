"""Scheduled work: readings, telemetry, pruning."""

from celery import shared_task
from django.utils.timezone import now

from movelot.devices.reading import collect, reread
from movelot.inventory.figures import keep_figures
from movelot.inventory.models import Device
from movelot.inventory.retention import forget_gone
from movelot.inventory.telemetry import prune
from movelot.jobs.locks import held
from movelot.repeats.middleware import forget_old


@shared_task
def read_devices() -> None:
    """A reading of every linked device. One whose certificate changed is left alone until it is pinned again."""
    reread(Device.objects.exclude(state=Device.State.CERTIFICATE))


@shared_task
def collect_telemetry() -> None:
    """New metric reports; skipped while another worker collects."""
    with held("telemetry") as mine:
        if mine:
            collect(Device.objects.filter(state=Device.State.LINKED))


@shared_task
def keep_daily_figures() -> None:
    """Today's figures of datastores, volumes and pools, for those that have none yet."""
    keep_figures(now())


@shared_task
def prune_history() -> None:
    """Delete samples that are too old to be used, what has been gone for longer than it is kept, and old answers."""
    prune(now())
    forget_gone(now())
    forget_old()
