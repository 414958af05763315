"""Scheduled work: readings, telemetry, pruning."""

from collections.abc import Sequence

from celery import shared_task
from django.conf import settings
from django.utils.timezone import now

from movelot.audit.keeping import cut_trail
from movelot.devices.reading import collect, reread, shares
from movelot.inventory.figures import keep_figures
from movelot.inventory.models import Device, Retention
from movelot.inventory.retention import forget_gone
from movelot.inventory.telemetry import prune
from movelot.jobs.locks import held
from movelot.repeats.middleware import forget_old


@shared_task
def read_devices() -> None:
    """A reading of every linked device, shared out among all workers that read."""
    for share in shares():
        read_share.apply_async((share,), expires=settings.READING_SECONDS)


@shared_task
def read_share(keys: Sequence[int]) -> None:
    """A reading of these devices; left out while a worker is still at the last one of them."""
    with held(f"share-{keys[0]}") as mine:
        if mine:
            reread(Device.objects.filter(pk__in=keys))


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
    """Delete samples that are too old to be used, what has been gone for longer than it is kept, and old answers.

    So are entries of the audit trail, where it is not kept for ever.
    """
    prune(now())
    forget_gone(now())
    cut_trail(now(), Retention.now().trail_days)
    forget_old()
