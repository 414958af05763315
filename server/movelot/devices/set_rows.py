"""Volume sets and the volumes in them as rows of volumes."""

from __future__ import annotations

from movelot.devices.session import Resource
from movelot.inventory.readings import Row
from movelot_core.step_keys import lot_of_key

# What the rows of other volumes say where those of a set and its members say more.
PLAIN: Row = {"kind": "block", "set_serial": "", "purpose": "", "disk_identity": "", "volumes_max": 0}


def made_by(member: Resource) -> str:
    """The key of the lot's step that made a thing; empty where its description is anything else."""
    description = str(member.get("Description") or "")
    return "" if lot_of_key(description) is None else description


def set_row(member: Resource) -> Row:
    """A volume set as a volume without a size."""
    return {
        **PLAIN,
        "name": member["Name"],
        "uri": member["@odata.id"],
        "etag": member.get("@odata.etag", ""),
        "pool_uri": member["CapacitySources"][0]["ProvidingPools"][0]["@odata.id"],
        "serial": member["Identifiers"][0]["DurableName"],
        "size_bytes": 0,
        "allocated_bytes": member["ConsumedBytes"],
        "controller": member["AccessPoints"][0]["Controller"] if member["AccessPoints"] else "",
        "thin": True,
        "reduced": [],
        "reduced_bytes": member.get("ReducedBytes"),
        "target": "",
        "tiering": "",
        "made_by": made_by(member),
        "kind": "set",
        "volumes_max": member["VolumesMax"],
    }


def member_parts(member: Resource, serials: dict[str, str]) -> Row:
    """What a volume says of the set it lives in; ``serials`` has each set's serial by its URI."""
    oem = member.get("Oem", {}).get("Kestrel", {})
    if "VolumeSet" not in oem:
        return PLAIN
    return {
        **PLAIN,
        "kind": "member",
        "set_serial": serials.get(oem["VolumeSet"]["@odata.id"], ""),
        "purpose": oem["Purpose"].lower(),
        "disk_identity": oem["Disk"],
    }
