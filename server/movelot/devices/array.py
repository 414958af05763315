"""Reading and changing an array: Swordfish resources to our rows and back."""

from __future__ import annotations

from typing import Any

from movelot.devices.capabilities import PROTOCOLS, array_capabilities
from movelot.devices.chap import chap_word
from movelot.devices.clock import clock_offset_seconds
from movelot.devices.fc_ports import FC_FRAME_BYTES, fc_network
from movelot.devices.file_systems import exports_of, file_system_row
from movelot.devices.reducing import REDUCED
from movelot.devices.session import DeviceSession, Resource
from movelot.devices.set_rows import PLAIN, made_by, member_parts, set_row
from movelot.inventory.follow.rows import PROVISIONAL
from movelot.inventory.readings import ArrayReading, Row
from movelot_core.fabric.paths import FC

ROOT = "/redfish/v1"
# What a pool says that it can do to make data smaller, and what a volume says of itself.
POOL_REDUCES = {"compression": "CompressionEnabled", "deduplication": "DeduplicationEnabled"}
WORK_COSTS = {"returned": "ReturnedBytesPerIO", "reduced": "ReducedBytesPerIO", "copied": "CopyIOPS"}
TIERED = {"by use": "ByUse", "fastest": "Fastest", "slowest": "Slowest"}


def _head(member: Resource) -> Row:
    return {"name": member["Name"], "uri": member["@odata.id"], "etag": member.get("@odata.etag", "")}


def storage_uri(session: DeviceSession) -> str:
    return str(next(session.members(f"{ROOT}/Storage"))["@odata.id"])


def fabric_uri(session: DeviceSession) -> str:
    return str(next(session.members(f"{ROOT}/Fabrics"))["@odata.id"])


def volume_of_disk(session: DeviceSession, disk: str) -> Resource | None:
    """The volume of a set that is this disk, as the array has it now; None where it has none."""
    base = next(session.members(f"{ROOT}/Storage"))["@odata.id"]
    for member in session.members(f"{base}/Volumes"):
        oem = member.get("Oem", {}).get("Kestrel", {})
        if oem.get("Purpose") == "Disk" and oem.get("Disk") == disk:
            return member
    return None


def limits_of(volume: Resource) -> tuple[int, int]:
    """Cap and floor of a volume in IOPS, 0 for none."""
    told = volume.get("Oem", {}).get("Kestrel", {}).get("IOLimits", {})
    return int(told.get("CapIOPS", 0)), int(told.get("FloorIOPS", 0))


def limit_volume(session: DeviceSession, volume: Resource, cap: int, floor: int) -> None:
    """Cap a volume, and guarantee it some; 0 is none. DeviceStale where it changed since it was asked for."""
    limits = {"CapIOPS": cap, "FloorIOPS": floor}
    etag = str(volume.get("@odata.etag", ""))
    session.patch(str(volume["@odata.id"]), {"Oem": {"Kestrel": {"IOLimits": limits}}}, etag)


def read_array(session: DeviceSession) -> ArrayReading:
    """A whole reading in twelve requests; each file system takes one more."""
    storage = next(session.members(f"{ROOT}/Storage"))
    base, fabric = storage["@odata.id"], fabric_uri(session)
    oem = storage.get("Oem", {}).get("Kestrel", {})
    controllers = list(session.members(f"{base}/Controllers"))
    pools = list(session.members(f"{base}/StoragePools"))
    sets = [set_row(each) for each in session.members(oem["VolumeSets"]["@odata.id"])] if "VolumeSets" in oem else []
    serials = {row["uri"]: row["serial"] for row in sets}
    volumes = list(session.members(f"{base}/Volumes")) if "Volumes" in storage else []
    block = [{**volume_row(member), **member_parts(member, serials)} for member in volumes]
    connections = list(session.members(f"{fabric}/Connections")) if "Volumes" in storage else []
    numbers = {row["uri"]: row.pop("namespace") for row in block}
    limits = {name.removesuffix("Max").lower(): int(most) for name, most in oem.get("VolumeSetLimits", {}).items()}
    file_systems = list(session.members(f"{base}/FileSystems")) if "FileSystems" in storage else []
    endpoints = list(session.members(f"{fabric}/Endpoints"))
    zones = list(session.members(f"{fabric}/Zones")) if "Volumes" in storage else []
    initiators = {e["@odata.id"]: e for e in endpoints if e["ConnectedEntities"][0]["EntityRole"] == "Initiator"}
    return ArrayReading(
        name=storage["Name"],
        copy_bytes_per_second=float(oem.get("CopyBytesPerSecond", 0)),
        clock_offset_seconds=clock_offset_seconds(session),
        capabilities=array_capabilities(controllers, pools, oem, limits),
        pools=[_pool(member) for member in pools],
        drive_groups=[row for member in pools for row in _drive_groups(member)],
        portals=[_portal(e) for e in endpoints if e["@odata.id"] not in initiators],
        initiators=[_initiator(each) for each in initiators.values()],
        zones=[_zone(member) for member in zones],
        volumes=[*sets, *block, *({**PLAIN, **file_system_row(member)} for member in file_systems)],
        offers=[_offer(member, initiators, numbers) for member in connections],
        exports=[row for member in file_systems for row in exports_of(session, member)],
        file_client={name: int(value) for name, value in oem.get("ClientAdvice", {}).items()},
        set_limits=limits,
        burst_factor=float(oem.get("BurstFactor", 1)),
        work_costs={work: int(oem[name]) for work, name in WORK_COSTS.items() if name in oem},
        nqn=_named(storage, "NQN"),
        target=_named(storage, "iQN"),
        identity=session.identity(),
    )


def _named(storage: Resource, form: str) -> str:
    """The array's own name of this form; empty without one."""
    return next(
        (each["DurableName"] for each in storage.get("Identifiers", []) if each["DurableNameFormat"] == form), ""
    )


def _initiator(member: Resource) -> Row:
    return {**_head(member), "identifier": member["Identifiers"][0]["DurableName"], "chap": chap_of(member)}


def chap_of(initiator: Resource) -> str:
    """The CHAP method that the array asks of an initiator; empty where it has none."""
    return chap_word(initiator.get("Oem", {}).get("Kestrel", {}).get("Chap", ""))


def _pool(member: Resource) -> Row:
    data, made_of = member["Capacity"]["Data"], member.get("Oem", {}).get("Kestrel", {})
    return {
        **_head(member),
        "identity": _identity(member),
        "capacity_bytes": data["AllocatedBytes"],
        "allocated_bytes": data["ConsumedBytes"],
        "subscribed_bytes": data["ProvisionedBytes"],
        "raid": member["SupportedRAIDTypes"][0],
        "media": member.get("MediaType", ""),
        "drives": made_of.get("Drives", 0),
        "spares": made_of.get("Spares", 0),
        "page_bytes": made_of.get("PageBytes", 0),
        "drive_sets": [
            [each.get("MediaType", ""), each["CapacityBytes"], each["State"], each["Count"]]
            for each in made_of.get("DriveSets", [])
        ],
        "addable_drives": made_of.get("AddableDrives", 0),
        "cache_bytes": made_of.get("CacheBytes", 0),
        "cache_hit_share": made_of.get("CacheHitShare"),
        "reduces": [way for way, name in POOL_REDUCES.items() if member.get(name)],
        "tiers": [[each["Media"], each["CapacityBytes"]] for each in made_of.get("Tiers", [])],
        "relocation": made_of.get("RelocationWindow", ""),
    }


def _identity(pool: Resource) -> str:
    """What the array knows a pool by; its URI where it gives it no name that lasts."""
    named = pool.get("Identifiers") or [{}]
    return str(named[0].get("DurableName") or f"{PROVISIONAL}{pool['@odata.id']}")


def _drive_groups(pool: Resource) -> list[Row]:
    """The RAID groups that a pool is made of; they have no address of their own."""
    return [
        {
            "name": each["Name"],
            "uri": f"{pool['@odata.id']}#{each['Name']}",
            "etag": "",
            "pool_uri": pool["@odata.id"],
            "raid": each.get("RAIDType", ""),
            "drives": each["Drives"],
        }
        for each in pool.get("Oem", {}).get("Kestrel", {}).get("DriveGroups", [])
    ]


def _portal(member: Resource) -> Row:
    oem, over_fc = member["Oem"]["Kestrel"], member["EndpointProtocol"] == FC
    return {
        **_head(member),
        "protocol": PROTOCOLS.get(member["EndpointProtocol"], member["EndpointProtocol"]),
        "host_name": oem.get("HostName", ""),
        "controller": member["ConnectedEntities"][0]["EntityLink"]["@odata.id"].rsplit("/", 1)[1],
        "network": fc_network(member["Identifiers"][0]["DurableName"], oem) if over_fc else oem["Network"],
        "vlan": oem.get("VLANId", 0),
        "up": member["Status"]["State"] == "Enabled",
        "frame_bytes": FC_FRAME_BYTES if over_fc else oem.get("MTUSize", 9000),
        "switch": oem.get("SwitchName") or oem.get("LLDPReceive", {}).get("SystemName", ""),
    }


def _zone(member: Resource) -> Row:
    oem = member["Oem"]["Kestrel"]
    members = [[each["Alias"], each["WWPN"]] for each in oem["Members"]]
    return {**_head(member), "fabric": oem["FabricName"], "members": members}


def volume_row(member: Resource) -> Row:
    oem = member.get("Oem", {}).get("Kestrel", {})
    return {
        **_head(member),
        "pool_uri": member["CapacitySources"][0]["ProvidingPools"][0]["@odata.id"],
        "serial": member["Identifiers"][0]["DurableName"],
        "size_bytes": member["CapacityBytes"],
        "allocated_bytes": member["Capacity"]["Data"]["ConsumedBytes"],
        "controller": member["Links"]["Controllers"][0]["@odata.id"].rsplit("/", 1)[1],
        "thin": member["ProvisioningPolicy"] == "Thin",
        "reduced": [way for way, name in REDUCED.items() if member.get(name)],
        "reduced_bytes": oem.get("ReducedBytes"),
        "target": oem.get("Target", ""),
        "tiering": next((word for word, said in TIERED.items() if said == oem.get("Tiering")), ""),
        "made_by": made_by(member),
        # Over NVMe the number that hosts know it by is the volume's own; else each offer has one.
        "namespace": int(member.get("NVMeNamespaceProperties", {}).get("NamespaceId", 0)),
    }


def _offer(member: Resource, initiators: dict[str, Resource], numbers: dict[str, int]) -> Row:
    info = member["VolumeInfo"][0]
    ends = [end["@odata.id"] for end in member["Links"]["InitiatorEndpoints"]]
    return {
        **_head(member),
        "volume_uri": info["Volume"]["@odata.id"],
        "lun": info["LUN"] if "LUN" in info else numbers.get(info["Volume"]["@odata.id"], 0),
        "initiators": [initiators[end]["Identifiers"][0]["DurableName"] for end in ends if end in initiators],
    }


def find_volume(session: DeviceSession, name: str) -> tuple[Row, str] | None:
    """The volume of this name and its description, read now; None if there is none."""
    members = session.get(f"{storage_uri(session)}/Volumes?$expand=.&$filter=Name eq '{name}'")["Members"]
    return (volume_row(members[0]), str(members[0].get("Description", ""))) if members else None


def drives_of(session: DeviceSession, uri: str) -> int:
    """Of how many drives the pool at this URI consists now."""
    return int(session.get(uri).get("Oem", {}).get("Kestrel", {}).get("Drives", 0))


def find_pool(session: DeviceSession, uri: str) -> Row | None:
    """The pool at this URI as the array lists it now; None where it lists none there."""
    members = session.members(f"{storage_uri(session)}/StoragePools")
    return next((_pool(member) for member in members if member["@odata.id"] == uri), None)


def create_volume(session: DeviceSession, wanted: Row, key: str) -> Row:
    """Create a volume: name, size_bytes, pool_uri, if given thin, own_target, reduced and tiering (see core.attach).

    ``key`` goes into its description, so that it is known again.
    """
    body: dict[str, Any] = {
        "Name": wanted["name"],
        "Description": key,
        "CapacityBytes": wanted["size_bytes"],
        "ProvisioningPolicy": "Thin" if wanted.get("thin", True) else "Fixed",
        "CapacitySources": [{"ProvidingPools": [{"@odata.id": wanted["pool_uri"]}]}],
        **{REDUCED[way]: True for way in wanted.get("reduced", [])},
    }
    oem: Row = {"OwnTarget": True} if wanted.get("own_target") else {}
    if wanted.get("tiering"):
        oem["Tiering"] = TIERED[wanted["tiering"]]
    if oem:
        body["Oem"] = {"Kestrel": oem}
    return volume_row(session.post(f"{storage_uri(session)}/Volumes", body).dict)


def offers_of(session: DeviceSession, volume_uri: str) -> list[Resource]:
    """Connections that offer a volume, read now."""
    return [
        member
        for member in session.members(f"{fabric_uri(session)}/Connections")
        if member["VolumeInfo"][0]["Volume"]["@odata.id"] == volume_uri
    ]


def offer_volume(session: DeviceSession, volume_uri: str, initiator_uris: list[str], lun: int | None) -> Resource:
    """Let initiators see a volume under ``lun``; None where the volume has a namespace id of its own."""
    number = {} if lun is None else {"LUN": lun}
    body = {
        "ConnectionType": "Storage",
        "VolumeInfo": [{**number, "AccessCapabilities": ["Read", "Write"], "Volume": {"@odata.id": volume_uri}}],
        "Links": {"InitiatorEndpoints": [{"@odata.id": uri} for uri in initiator_uris]},
    }
    made: Resource = session.post(f"{fabric_uri(session)}/Connections", body).dict
    return made


def initiators_of(connection: Resource) -> list[str]:
    """URIs of the initiators that a connection lets in, sorted."""
    return sorted(end["@odata.id"] for end in connection["Links"]["InitiatorEndpoints"])


def find_initiator(session: DeviceSession, identifier: str) -> str | None:
    """URI of the initiator of this name as the array knows it now."""
    for member in session.members(f"{fabric_uri(session)}/Endpoints"):
        names = [each["DurableName"] for each in member.get("Identifiers", [])]
        if member["ConnectedEntities"][0]["EntityRole"] == "Initiator" and identifier in names:
            return str(member["@odata.id"])
    return None


def add_initiator(session: DeviceSession, identifier: str) -> str:
    """Make an initiator known to the array by its IQN, NQN or WWPN; returns its URI."""
    forms = {"nqn": ("NVMeOverFabrics", "NQN"), "iqn": ("iSCSI", "iQN")}
    protocol, form = forms.get(identifier.partition(".")[0], (FC, "FC_WWN"))
    body = {
        "EndpointProtocol": protocol,
        "Identifiers": [{"DurableNameFormat": form, "DurableName": identifier}],
        "ConnectedEntities": [{"EntityType": "StorageInitiator", "EntityRole": "Initiator"}],
    }
    return str(session.post(f"{fabric_uri(session)}/Endpoints", body).dict["@odata.id"])
