"""Core's reasons as sentences, for checks and boards. Sizes are in TiB, as checks are kept as text."""

from __future__ import annotations

from collections.abc import Sequence

from movelot.inventory.models import Pool
from movelot_core.attach import PoolFit, Reason
from movelot_core.fabric.causes import Cause
from movelot_core.nfs import Obstacle
from movelot_core.units import count_of, format_share, format_size

CAUSES = {
    Cause.PORTAL_DOWN: "the array's portal is down",
    Cause.PORT_DOWN: "{port} has no link",
    Cause.SUBNET: "{port} is in another subnet than on the other hosts",
    Cause.FABRIC: "{port} is cabled to another fabric than on the other hosts",
    Cause.ZONE: "no zone holds {port} and the array's port together",
    Cause.FRAME: "{port} and the portal use frames of different size",
    Cause.VLAN: "{port} is on another VLAN than the portal",
    Cause.NO_UPLINK: "{port} has no active uplink",
    Cause.TWO_UPLINKS: "{port} has two active uplinks; binding needs exactly one",
    Cause.STANDBY_UPLINK: "{port} has a standby uplink beside the active one; binding needs exactly one",
    Cause.MASKED: "the array does not let this host in",
    Cause.CHAP: "the array and this host are set to different CHAP, so that no login succeeds",
    Cause.NOT_LOGGED_IN: "nothing stands in the way; the host has not logged in over {port}",
    Cause.NOT_RESCANNED: "nothing stands in the way; the host has not rescanned",
    Cause.NOT_CONNECTED: "nothing stands in the way; the host has not connected to the subsystem over {port}",
    Cause.NOT_MOUNTED: "nothing stands in the way; the host has not mounted it",
}

OBSTACLES = {
    Obstacle.NO_WAY: "no interface of it reaches the server",
    Obstacle.NOT_LISTED: "its address is not in the export's client list",
    Obstacle.READ_ONLY: "the export lets it read only",
    Obstacle.ROOT_MAPPED: "the export maps root away; a hypervisor writes as root",
    Obstacle.VERSION: "the server does not offer this NFS version",
    Obstacle.NO_MOUNT_LEFT: "it has as many mounts as its limit allows",
}


def cause_text(cause: Cause, port: str) -> str:
    """Why a path is missing."""
    return CAUSES[cause].format(port=port)


def reason_text(reason: Reason) -> str:
    """One reason for or against a pool."""
    figures = reason.figures
    match reason.code:
        case "offline":
            return "the pool is not online"
        case "unreached":
            return "no host of the cluster reaches its array"
        case "not_granted":
            return "the storage team has not granted it"
        case "quota":
            left, size = format_size(figures["left_bytes"]), format_size(figures["size_bytes"])
            return f"{left} of the granted quota left, {size} needed"
        case "no_compression" | "no_deduplication":
            return f"it has no {reason.code.removeprefix('no_')}"
        case "no_tiers":
            return "it has one tier only"
        case "no_room":
            return f"{format_size(figures['free_bytes'])} free, {format_size(figures['size_bytes'])} needed"
        case "little_left":
            return f"leaves {format_size(figures['left_bytes'])}"
        case "slow":
            return f"{figures['peak_ms']:.1f} ms at its peak hour, ceiling {figures['ceiling_ms']:.0f} ms"
        case "subscribed":
            return f"promised {format_share(figures['share'])} of its size"
    raise KeyError(reason.code)


def made_of(pool: Pool) -> str:
    """What a pool is made of, as far as its array tells."""
    drives = count_of(pool.drives, "drive") if pool.drives else ""
    spares = count_of(pool.spares, "spare") if pool.drives else ""
    pages = f"pages of {format_size(pool.page_bytes)}" if pool.page_bytes else ""
    sizes = " and ".join(f"{format_size(size)} of {media}" for media, size in pool.tiers)
    tiers = f"tiers: {sizes}, pages move {pool.relocation} UTC" if sizes else ""
    return ", ".join(
        part for part in (f"{pool.raid} on {pool.media}".strip(" on"), drives, spares, pages, tiers) if part
    )


def fit_text(fit: PoolFit) -> str:
    """All reasons of a fit in one line; “fits” when there is none against."""
    return "; ".join(reason_text(reason) for reason in fit.reasons) or "fits"


def first_of(names: Sequence[str], most: int = 5) -> str:
    """The first names, and how many more there are.

    >>> first_of(["a", "b", "c"], 2)
    'a, b and 1 more'
    """
    more = len(names) - most
    return ", ".join(names[:most]) + (f" and {more} more" if more > 0 else "")
