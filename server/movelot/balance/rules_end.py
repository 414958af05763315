"""Rules that end by themselves: at their end they are taken back, and whoever rests on them is judged anew."""

from __future__ import annotations

import logging
from datetime import datetime

from django.db import transaction

from movelot.inventory.changes import people_said
from movelot.inventory.models import PlacementRule

log = logging.getLogger(__name__)


def end_rules(moment: datetime) -> None:
    """Take back the rules that have ended by ``moment``; that they would was written down as they were made."""
    for rule in PlacementRule.objects.filter(until__lte=moment):
        with transaction.atomic():
            key, name = rule.pk, rule.name
            rule.delete()
            people_said("rule", key)
        log.info("rule %s ended", name)
