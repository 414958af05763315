"""Lots: what was drafted, runs and ran, whichever stage drafted it."""

from __future__ import annotations

from movelot.stages.base import Stage

STAGE = Stage("lots", waits=lambda waiting: waiting.lots)
