"""Kinds of findings that Attach settles, one instance of each."""

from movelot.attach.findings.file_limits import FileLimitsKind
from movelot.attach.findings.idle_volume import IdleVolumeKind
from movelot.attach.findings.leftover_initiator import LeftoverInitiatorKind
from movelot.attach.findings.missing_paths import MissingPathsKind
from movelot.attach.findings.mounted_apart import SpelledApartKind, VersionsApartKind
from movelot.attach.findings.no_interface import NoInterfaceKind
from movelot.attach.findings.numbered_apart import NumberedApartKind
from movelot.attach.findings.seen_by_some import SeenBySomeKind
from movelot.attach.findings.set_nearly_full import SetNearlyFullKind

MISSING_PATHS = MissingPathsKind()
NO_INTERFACE = NoInterfaceKind()
SEEN_BY_SOME = SeenBySomeKind()
NUMBERED_APART = NumberedApartKind()
IDLE_VOLUME = IdleVolumeKind()
LEFTOVER_INITIATOR = LeftoverInitiatorKind()
FILE_LIMITS = FileLimitsKind()
SPELLED_APART = SpelledApartKind()
VERSIONS_APART = VersionsApartKind()
SET_NEARLY_FULL = SetNearlyFullKind()

KINDS = (
    MISSING_PATHS,
    NO_INTERFACE,
    SEEN_BY_SOME,
    NUMBERED_APART,
    IDLE_VOLUME,
    LEFTOVER_INITIATOR,
    FILE_LIMITS,
    SPELLED_APART,
    VERSIONS_APART,
    SET_NEARLY_FULL,
)
