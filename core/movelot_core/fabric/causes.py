"""Why a path that should be there is missing, and the states of those that are there."""

from __future__ import annotations

from enum import StrEnum


class Access(StrEnum):
    """ALUA access state of a path (SPC-4)."""

    OPTIMIZED = "active/optimized"
    NON_OPTIMIZED = "active/non-optimized"
    STANDBY = "standby"
    UNAVAILABLE = "unavailable"


class Cause(StrEnum):
    """First condition that fails for a path that should be there, in the order they are tested."""

    PORTAL_DOWN = "portal_down"
    PORT_DOWN = "port_down"
    SUBNET = "subnet_differs"
    FABRIC = "fabric_differs"
    VLAN = "vlan_differs"
    FRAME = "frame_differs"
    ZONE = "zone_missing"
    NO_UPLINK = "no_uplink"
    TWO_UPLINKS = "two_uplinks"
    STANDBY_UPLINK = "standby_uplink"
    CHAP = "chap_differs"
    MASKED = "masked"
    NOT_LOGGED_IN = "not_logged_in"
    NOT_RESCANNED = "not_rescanned"
    NOT_MOUNTED = "not_mounted"
    NOT_CONNECTED = "not_connected"
