"""What to settle first where paths are missing, and which uplink a storage interface keeps."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from dataclasses import dataclass
from typing import Final

from movelot_core.fabric.causes import Cause

# Causes that a host's own settings end, in the order in which to settle them: what is wired or set wrong comes before
# CHAP, as a login comes before anything is seen; what the host only has not done yet comes last.
SETTLED_IN_ORDER: Final = (
    Cause.NO_UPLINK,
    Cause.TWO_UPLINKS,
    Cause.STANDBY_UPLINK,
    Cause.FRAME,
    Cause.CHAP,
    Cause.NOT_LOGGED_IN,
    Cause.NOT_RESCANNED,
    Cause.NOT_CONNECTED,
)


def first_to_settle(causes: Collection[Cause]) -> Cause | None:
    """The cause to settle first; None where a host's own settings are not what stands in the way.

    >>> first_to_settle([Cause.NOT_RESCANNED, Cause.CHAP, Cause.ZONE])
    <Cause.CHAP: 'chap_differs'>
    """
    return next((cause for cause in SETTLED_IN_ORDER if cause in causes), None)


@dataclass(frozen=True, slots=True)
class BoundInterface:
    """A host's interface that has to be bound to exactly one uplink, with those it has."""

    name: str
    active: tuple[str, ...]
    standby: tuple[str, ...]

    @property
    def is_bound(self) -> bool:
        """Whether it has exactly one active uplink and none standby."""
        return len(self.active) == 1 and not self.standby


@dataclass(frozen=True, slots=True)
class Binding:
    """The uplink that an interface keeps, and those that become unused on it."""

    interface: BoundInterface
    kept: str
    dropped: tuple[str, ...]


def uplink_to_keep(interfaces: Sequence[BoundInterface]) -> Binding | None:
    """How the first of a host's interfaces that is not bound to one uplink comes to be; None if all are, or none can.

    It keeps the first uplink, active ones before standby, that no other interface of the host is bound to.

    >>> two = BoundInterface("storage-b", ("uplink-1", "uplink-2"), ())
    >>> uplink_to_keep([BoundInterface("storage-a", ("uplink-1",), ()), two]).kept
    'uplink-2'
    """
    broken = next((each for each in interfaces if not each.is_bound), None)
    if broken is None:
        return None
    taken = {each.active[0] for each in interfaces if each is not broken and each.active}
    own = (*broken.active, *broken.standby)
    kept = next((uplink for uplink in own if uplink not in taken), None)
    if kept is None:
        return None
    return Binding(broken, kept, tuple(uplink for uplink in own if uplink != kept))
