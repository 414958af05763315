"""After a restore from a backup, lots that were under way wait for a person, who sees what the devices say.

The schedule counts its rounds in the database and in a file beside it. A file that is ahead of the database tells that
the database is of an earlier day than what was done. What a lot believes of its steps then proves nothing: devices may
have done more since, or less. So its steps are unknown, with what was believed of each, until their devices were asked.
"""

from __future__ import annotations

import logging
import os
from pathlib import Path

from django.conf import settings
from django.db import connection, transaction
from django.db.models import F
from django.utils.timezone import now

from movelot.lots.models import Lot, Pulse, Step
from movelot.lots.steps.base import StepProblem

log = logging.getLogger(__name__)


def count_on() -> bool:
    """Count a round of the schedule; whether the database is older than the installation it is in."""
    file = Path(settings.RUN) / f"pulse-{connection.settings_dict['NAME']}"
    with transaction.atomic():
        pulse, _made = Pulse.objects.select_for_update().get_or_create(pk=1)
        seen = int(file.read_text()) if file.exists() else 0
        older = bool(seen > pulse.count)
        pulse.count = max(seen, pulse.count) + 1
        pulse.save()
    # Whole or not at all: half a count would be read as none.
    written = file.with_suffix(f".{os.getpid()}")
    written.write_text(str(pulse.count))
    written.replace(file)
    return older


RESTORED = StepProblem(
    "restored",
    "The database was restored from a backup.",
    "What the device did since is not known.",
    "It is asked once it was read.",
)


def hold_back() -> list[int]:
    """Halt the lots that were under way in the backup; none of their steps is known any more. Returns the lots."""
    held = []
    for lot in Lot.objects.filter(state__in=[Lot.State.RUNNING, Lot.State.HALTING]):
        with transaction.atomic():
            lot.steps.update(
                believed=F("state"), state=Step.State.UNKNOWN, problem=RESTORED.document(""), ended_at=now()
            )
            lot.state, lot.ended_at = Lot.State.HALTED, now()
            lot.save()
        held.append(lot.pk)
        log.warning("lot %s was under way in a backup: it waits for a person", lot.pk)
    return held
