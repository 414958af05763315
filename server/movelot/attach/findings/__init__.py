"""Kinds of findings that Attach settles, one instance of each."""

from movelot.attach.findings.file_limits import FileLimitsKind
from movelot.attach.findings.idle_volume import IdleVolumeKind
from movelot.attach.findings.leftover_initiator import LeftoverInitiatorKind
from movelot.attach.findings.mounted_apart import SpelledApartKind, VersionsApartKind
from movelot.attach.findings.set_nearly_full import SetNearlyFullKind
from movelot.attach.findings.stray_volume import StrayVolumeKind

IDLE_VOLUME = IdleVolumeKind()
LEFTOVER_INITIATOR = LeftoverInitiatorKind()
FILE_LIMITS = FileLimitsKind()
SPELLED_APART = SpelledApartKind()
VERSIONS_APART = VersionsApartKind()
SET_NEARLY_FULL = SetNearlyFullKind()
STRAY_VOLUME = StrayVolumeKind()

KINDS = (IDLE_VOLUME, LEFTOVER_INITIATOR, FILE_LIMITS, SPELLED_APART, VERSIONS_APART, SET_NEARLY_FULL, STRAY_VOLUME)
