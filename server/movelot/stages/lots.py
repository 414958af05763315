"""Lots: what was drafted, runs and ran, whichever stage drafted it."""

from __future__ import annotations

from movelot.stages.base import Stage, Tab

STAGE = Stage("lots", tab=Tab("Lots", "/lots", "l", lambda waiting: waiting.lots))
