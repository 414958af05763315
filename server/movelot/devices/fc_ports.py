"""Fibre Channel ports of hosts and arrays: a WWPN in a fabric in place of an address in a subnet."""

from __future__ import annotations

from movelot.devices.session import Resource
from movelot.inventory.readings import Row
from movelot_core.fabric.paths import FC

# Payload of the largest frame and its header (FC-FS); the same on every port, so that nothing has to be compared.
FC_FRAME_BYTES = 2112


def fc_network(wwpn: str, port: Resource) -> str:
    """Where a port is: its WWPN in the fabric that it has logged in to."""
    return f"{wwpn.lower()}@{port['FabricName']}"


def fc_port_row(member: Resource) -> Row:
    """A host's FC port."""
    fabric = member["FibreChannel"]
    return {
        "name": member["Name"],
        "uri": member["@odata.id"],
        "etag": member.get("@odata.etag", ""),
        "protocol": FC,
        "network": fc_network(fabric["AssociatedWorldWideNames"][0], fabric),
        "vlan": 0,
        "up": member["LinkStatus"] == "LinkUp",
        "frame_bytes": FC_FRAME_BYTES,
        "switch": member.get("Oem", {}).get("Kestrel", {}).get("SwitchName", ""),
        "active_uplinks": [],
        "standby_uplinks": [],
    }
