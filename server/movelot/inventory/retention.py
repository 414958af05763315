"""How long things that no device lists any more are kept, with their history and all that people decided of them."""

from __future__ import annotations

from datetime import datetime, timedelta

from django.db import transaction
from django.db.models import Q

from movelot.inventory.models import Datastore, Device, Disk, Durable, Machine, Pool, Retention, Volume

# Those that others hang on come last.
KEPT: tuple[type[Durable], ...] = (Disk, Machine, Datastore, Volume, Pool, Device)


def forget_gone(moment: datetime) -> int:
    """Delete what has been gone for longer than the retention. Returns how many things that were.

    A device that lots name stays, as the history would lose its name.
    """
    before = moment - timedelta(days=Retention.now().gone_days)
    count = 0
    with transaction.atomic():
        for model in KEPT:
            rows = model.known.filter(gone_at__lt=before).exclude(_needed(model))
            keys = list(rows.values_list("pk", flat=True))
            model.known.filter(pk__in=keys).delete()
            count += len(keys)
    return count


def _needed(model: type[Durable]) -> Q:
    """What would take along something that is still there, or leave a lot without its device."""
    if model is Device:
        return Q(step__isnull=False)
    if model is Pool:
        return Q(volumes__in=Volume.objects.all())
    return Q(disks__in=Disk.objects.all()) if model is Machine else Q(pk=None)
