"""Kinds of findings about the paths between hosts and arrays, one instance of each."""

from movelot.network.findings.missing_paths import MissingPathsKind
from movelot.network.findings.no_interface import NoInterfaceKind
from movelot.network.findings.numbered_apart import NumberedApartKind
from movelot.network.findings.seen_by_some import SeenBySomeKind

MISSING_PATHS = MissingPathsKind()
NO_INTERFACE = NoInterfaceKind()
SEEN_BY_SOME = SeenBySomeKind()
NUMBERED_APART = NumberedApartKind()

KINDS = (MISSING_PATHS, NO_INTERFACE, SEEN_BY_SOME, NUMBERED_APART)
