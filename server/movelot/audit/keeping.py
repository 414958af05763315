"""Cutting off the oldest entries of the audit trail, where an administrator does not have it kept for ever.

Worked example: 1,200 entries, of which 200 are older than 400 days. These go; the chain begins with the digest of the
200th, so that the other 1,000 are proven as before; and the trail says that 200 were cut, up to when, and that digest:
whoever exported them can show that the export is what stood here.
"""

from __future__ import annotations

from datetime import datetime, timedelta

from django.db import transaction

from movelot.audit.models import Entry
from movelot.audit.trail import chain, locked_head

BY_ITSELF = "Move Lot"


def cut_trail(moment: datetime, days: int) -> int:
    """Delete the entries that are older than ``days``, and say so in the trail; 0 days keep all. Returns how many.

    The newest entry always stays.
    """
    if not days:
        return 0
    with transaction.atomic():
        head = locked_head()
        young = Entry.objects.filter(at__gte=moment - timedelta(days=days))
        first = young.order_by("pk").first() or Entry.objects.order_by("-pk").first()
        last = first and Entry.objects.filter(pk__lt=first.pk).order_by("-pk").first()
        if last is None:
            return 0
        count = Entry.objects.filter(pk__lte=last.pk).cut()
        head.cut, head.cut_digest = head.cut + count, last.digest
        told = {"entries": count, "until": last.at.isoformat(), "digest": last.digest}
        chain(Entry(at=moment, who=BY_ITSELF, what="trail cut", subject="audit trail", after=told), head)
    return count
