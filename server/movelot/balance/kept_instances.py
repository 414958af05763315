"""Keeps the groups of which a planner made a plan that is not lawful, so that it can be looked into."""

from __future__ import annotations

import logging
from hashlib import blake2b
from pathlib import Path
from typing import Final

from django.conf import settings

# Each is some hundred kB; a planner that errs errs again on the next reading.
KEPT_MAX: Final = 20


class KeepInstances(logging.Handler):
    """Writes what a record carries as ``instance`` (see ``movelot_core.balance.dump``) to a file of the run folder."""

    def emit(self, record: logging.LogRecord) -> None:
        """Write it, unless there are so many already; the oldest are the first that were wrong, and stay."""
        instance = getattr(record, "instance", None)
        if not isinstance(instance, bytes):
            return
        folder = Path(settings.RUN) / "instances"
        try:
            folder.mkdir(parents=True, exist_ok=True)
            if len(list(folder.glob("*.npz"))) < KEPT_MAX:
                (folder / f"{blake2b(instance, digest_size=8).hexdigest()}.npz").write_bytes(instance)
        except OSError:
            self.handleError(record)
