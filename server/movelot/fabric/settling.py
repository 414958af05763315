"""Which lot settles a cause of missing paths: said once, for findings, the path page and the interfaces alike."""

from __future__ import annotations

from collections.abc import Collection

from movelot.lots.kinds import Remedy
from movelot_core.fabric.causes import Cause
from movelot_core.fabric.settling import first_to_settle

BINDING = (Cause.NO_UPLINK, Cause.TWO_UPLINKS, Cause.STANDBY_UPLINK)
# What a host has not done yet, though nothing stands in its way.
NOT_DONE = {
    Cause.NOT_LOGGED_IN: "Log in to the array",
    Cause.NOT_RESCANNED: "Rescan the host",
    Cause.NOT_CONNECTED: "Connect the host",
}


def lot_for(causes: Collection[Cause], cluster: str, host: str, array: str) -> Remedy | None:
    """The lot that brings a host's paths to an array back; None where its own settings are not what stands in the way.

    It settles what core says comes first.
    """
    first = first_to_settle(causes)
    if first is None:
        return None
    if first in BINDING:
        return Remedy("uplinks", {"host": host}, "Bind one uplink")
    if first is Cause.FRAME:
        return Remedy("frames", {"host": host, "array": array}, "Set the frame size")
    if first is Cause.CHAP:
        return Remedy("chap", {"cluster": cluster, "array": array, "host": host}, "Set CHAP on both sides")
    return Remedy("find_paths", {"host": host, "array": array}, NOT_DONE[first])
