"""Reading and commanding a hypervisor host."""

from __future__ import annotations

from datetime import datetime
from ipaddress import ip_interface
from typing import Any
from urllib.parse import quote

from movelot.devices.capabilities import host_capabilities
from movelot.devices.chap import chap_word
from movelot.devices.clock import clock_offset_seconds
from movelot.devices.errors import DeviceGone
from movelot.devices.fc_ports import fc_port_row
from movelot.devices.session import DeviceSession, Resource
from movelot.inventory.follow.rows import PROVISIONAL
from movelot.inventory.readings import HostReading, Row
from movelot_core.fabric.chap import Chap

ROOT = "/redfish/v1"


def _head(member: Resource) -> Row:
    return {"name": member["Name"], "uri": member["@odata.id"], "etag": member.get("@odata.etag", "")}


def system_uri(session: DeviceSession) -> str:
    return str(next(session.members(f"{ROOT}/Systems"))["@odata.id"])


def read_host(session: DeviceSession) -> HostReading:
    """A whole reading in seven requests, and one more each where there are FC ports and where it tells of images."""
    system = next(session.members(f"{ROOT}/Systems"))
    base, oem = system["@odata.id"], system["Oem"]["Kestrel"]
    fc_ports = session.members(oem["FibreChannelPorts"]["@odata.id"]) if "FibreChannelPorts" in oem else []
    stores = list(session.members(oem["Datastores"]["@odata.id"]))
    return HostReading(
        name=system["Name"],
        cluster=oem["Cluster"],
        initiator=oem["InitiatorName"],
        copy_bytes_per_second=float(oem["CopyBytesPerSecond"]),
        clock_offset_seconds=clock_offset_seconds(session),
        capabilities=host_capabilities(system),
        scan_seconds=float(oem["ScanSeconds"]),
        ports=[
            *(_port(member) for member in session.members(f"{base}/EthernetInterfaces")),
            *(fc_port_row(member) for member in fc_ports),
        ],
        devices=[device_row(member) for member in session.members(oem["Devices"]["@odata.id"])],
        datastores=[datastore_row(member) for member in stores],
        loose_disks=[loose_row(each, member) for member in stores for each in member.get("LooseDisks", [])],
        images=[image_row(member) for member in session.members(oem["Images"]["@odata.id"])] if "Images" in oem else [],
        machines=[_machine(member, session.url) for member in session.members(oem["VirtualMachines"]["@odata.id"])],
        file_client={name: int(value) for name, value in oem.get("FileClient", {}).items()},
        nqn=oem.get("HostNQN", ""),
        subsystems=_subsystems(oem),
        queue_depth=int(oem.get("DeviceQueueDepth", 0)),
        sessions={each["IQN"]: _session_pairs(each) for each in oem.get("Targets", [])},
        chap=_chap(oem),
        default_datastore=oem.get("DefaultDatastore", ""),
        identity=session.identity(),
        work_costs={"copied": int(oem["CopyIOPS"])} if "CopyIOPS" in oem else {},
    )


def _subsystems(oem: Resource) -> dict[str, list[list[str]]]:
    return {
        each["NQN"]: [[pair["Port"], pair["Portal"]] for pair in each["Connections"]]
        for each in oem.get("Subsystems", [])
    }


def connections_to(session: DeviceSession, nqn: str) -> list[list[str]]:
    """The [port, portal] pairs over which the host is connected to an NVMe subsystem now."""
    return _subsystems(session.get(system_uri(session))["Oem"]["Kestrel"]).get(nqn, [])


def _session_pairs(target: Resource) -> list[list[str]]:
    return [[session["Port"], session["Portal"]] for session in target["Sessions"]]


def _chap(oem: Resource) -> dict[str, str]:
    found = {each["IQN"]: chap_word(each["Chap"]) for each in oem.get("Targets", [])}
    return {target: method for target, method in found.items() if method != Chap.OFF}


def _target(session: DeviceSession, target: str) -> Resource:
    """A target as the host knows it now; without sessions where it does not."""
    targets = session.get(system_uri(session))["Oem"]["Kestrel"].get("Targets", [])
    nothing: Resource = {"IQN": target, "Sessions": []}
    return next((each for each in targets if each["IQN"] == target), nothing)


def sessions_with(session: DeviceSession, target: str) -> list[list[str]]:
    """The [port, portal] pairs over which the host is logged in to an iSCSI target now."""
    return _session_pairs(_target(session, target))


def session_methods(session: DeviceSession, target: str) -> dict[tuple[str, str], str]:
    """The CHAP method with which each (port, portal) pair was logged in to a target."""
    return {(each["Port"], each["Portal"]): chap_word(each["Chap"]) for each in _target(session, target)["Sessions"]}


def chap_with(session: DeviceSession) -> dict[str, str]:
    """The CHAP method that the host gives to each target now, where it is not off."""
    return _chap(session.get(system_uri(session))["Oem"]["Kestrel"])


def _port(member: Resource) -> Row:
    address, oem = member["IPv4Addresses"][0], member["Oem"]["Kestrel"]
    return {
        **_head(member),
        "protocol": oem.get("Protocol", "iSCSI"),
        "network": str(ip_interface(f"{address['Address']}/{address['SubnetMask']}")),
        "vlan": member["VLAN"]["VLANId"],
        "up": member["LinkStatus"] == "LinkUp",
        "frame_bytes": member.get("MTUSize", 1500),
        "switch": oem.get("LLDPReceive", {}).get("SystemName", ""),
        "active_uplinks": oem["ActiveUplinks"],
        "standby_uplinks": oem["StandbyUplinks"],
    }


def device_row(member: Resource) -> Row:
    return {
        **_head(member),
        "serial": member["Serial"],
        "size_bytes": member["CapacityBytes"],
        "lun": member["LUN"],
        "signature_kind": member["Signature"]["Kind"],
        **{name: _setting(member, name) for name in SETTING_FIELDS},
        "paths": [[path["Port"], path["Portal"], path["AccessState"]] for path in member["Paths"]],
    }


def _serials(datastore: Resource) -> list[str]:
    return [each["DeviceSerial"] for each in datastore["Extents"]]


def datastore_row(member: Resource) -> Row:
    """A datastore with how this host mounts it."""
    export = member.get("Export", {})
    ways = export.get("Ways", []) or member.get("VolumeSet", {}).get("Ways", [])
    return {
        "identity": member["Id"],
        "name": member["Name"],
        "extents": [
            {"serial": each["DeviceSerial"], "size_bytes": each.get("CapacityBytes")} for each in member["Extents"]
        ],
        "capacity_bytes": member["CapacityBytes"],
        "free_bytes": member["FreeBytes"],
        "other_bytes": member["OtherBytes"],
        "contents": [[each["Kind"], each["Name"]] for each in member.get("Contents", [])],
        "mount": {
            "server": export.get("Server", ""),
            "path": export.get("Path", ""),
            "version": export.get("Version", ""),
            "ways": [[way["Port"], way["Portal"]] for way in ways],
        },
    }


def loose_row(told: Resource, store: Resource) -> Row:
    """A disk that no machine has, on the datastore that lists it."""
    written = told.get("LastWritten")
    return {
        "identity": told["Id"],
        "name": told["Name"],
        "datastore": store["Id"],
        "size_bytes": told["CapacityBytes"],
        "written_bytes": told["WrittenBytes"],
        "last_written_at": datetime.fromisoformat(written) if written else None,
        "described_by": told.get("DescribedBy", ""),
    }


def find_loose_disk(session: DeviceSession, datastore: str, identity: str) -> Row | None:
    """A disk that no machine has, as the host lists it on a datastore now; None where it does not."""
    member = session.get(f"{system_uri(session)}/Oem/Kestrel/Datastores/{datastore}")
    rows = (loose_row(each, member) for each in member.get("LooseDisks", []))
    return next((row for row in rows if row["identity"] == identity), None)


def image_row(member: Resource) -> Row:
    """A disk image with the datastore that keeps it, by its identity."""
    return {
        "identity": member["Id"],
        "name": member["Name"],
        "datastore": member["Datastore"],
        "size_bytes": member["CapacityBytes"],
        "written_bytes": member["WrittenBytes"],
        "key": member.get("Key", ""),
    }


def _machine(member: Resource, address: str = "") -> Row:
    return {
        **_head(member),
        # One without a UUID is another machine on another host.
        "identity": member.get("UUID") or f"{PROVISIONAL}{address}{member['@odata.id']}"[:128],
        "os": member["OperatingSystem"],
        "address": member["Address"],
        "power": member["PowerState"],
        "key": member.get("Key", ""),
        "standing": member.get("Standing", ""),
        "processors": member.get("Processors", 0),
        "memory_bytes": member.get("MemoryBytes", 0),
        "home": member.get("Home", ""),
        "swap_bytes": member.get("SwapBytes", 0),
        "off_since": datetime.fromisoformat(since) if (since := member.get("OffSince")) else None,
        "snapshots": [_snapshot(each, member.get("Standing", "")) for each in member.get("Snapshots", [])],
        "disks": [
            {
                "identity": each["Id"],
                "name": each["Name"],
                "size_bytes": each["CapacityBytes"],
                "written_bytes": each.get("WrittenBytes"),
                "thin": each.get("Thin", False),
                "filled_from": each.get("FilledFrom", ""),
                "key": each.get("Key", ""),
                **_limits(each.get("Limits")),
                "datastore": each["Datastore"],
                "raw_serial": each.get("RawSerial", ""),
                "shared": each.get("Shared", False),
            }
            for each in member["Disks"]
        ],
    }


def _limits(told: Resource | None) -> Row:
    """A disk's cap and floor, 0 for none, and who enforces them; nothing where the host does not tell."""
    if told is None:
        return {"cap_iops": None, "floor_iops": None, "limited_by": ""}
    by = "array" if told["EnforcedBy"] == "Array" else "host"
    return {"cap_iops": int(told["CapIOPS"]), "floor_iops": int(told["FloorIOPS"]), "limited_by": by}


def _snapshot(member: Resource, standing: str) -> Row:
    return {
        "name": member["Name"],
        "parent": member["Parent"],
        "key": member.get("Key", ""),
        "taken_at": datetime.fromisoformat(member["Taken"]),
        "standing": member["Name"] == standing,
        "place": member.get("Datastore", ""),
        "held": {str(each["Id"]): int(each["HeldBytes"]) for each in member["Disks"]},
    }


def act(session: DeviceSession, verb: str, **body: Any) -> tuple[int, Resource, str]:
    """Post one of the host's actions. Returns status, body (empty on 204), and the task's address if there is one."""
    response = session.post(f"{system_uri(session)}/Actions/Oem/Kestrel.{verb}", body)
    content: Resource = response.dict if response.status != 204 else {}
    return response.status, content, str(response.getheader("Location") or "")


def find_device(session: DeviceSession, serial: str) -> Row | None:
    """The device with this serial as the host sees it now."""
    found = next(
        (m for m in session.members(f"{system_uri(session)}/Oem/Kestrel/Devices") if m["Serial"] == serial), None
    )
    return device_row(found) if found else None


def signature_of(session: DeviceSession, serial: str) -> tuple[str, str]:
    """What the device with this serial carries, and its identity; both empty where it is not seen."""
    for member in session.members(f"{system_uri(session)}/Oem/Kestrel/Devices"):
        if member["Serial"] == serial:
            return str(member["Signature"]["Kind"]), str(member["Signature"]["Identity"])
    return "", ""


def serials_seen(session: DeviceSession) -> set[str]:
    """The serials of all devices that the host sees now."""
    return {str(member["Serial"]) for member in session.members(f"{system_uri(session)}/Oem/Kestrel/Devices")}


def find_datastore(session: DeviceSession, serial: str) -> Row | None:
    """The datastore on the device with this serial, if the host mounts it now."""
    members = session.members(f"{system_uri(session)}/Oem/Kestrel/Datastores")
    found = next((m for m in members if serial in _serials(m)), None)
    return datastore_row(found) if found else None


def find_machine(session: DeviceSession, name: str) -> Row | None:
    """A machine as the host has it now; None where it does not run one of that name."""
    try:
        return _machine_now(session, name)
    except DeviceGone:
        return None


def _machine_now(session: DeviceSession, name: str) -> Row:
    return _machine(session.get(f"{system_uri(session)}/Oem/Kestrel/VirtualMachines/{quote(name)}"))


def find_disk(session: DeviceSession, machine: str, disk: str) -> Row | None:
    """A machine's disk as the host has it now."""
    return _disk_with(session, machine, "identity", disk)


def find_raw(session: DeviceSession, machine: str, serial: str) -> Row | None:
    """A machine's raw disk of a volume as the host has it now."""
    return _disk_with(session, machine, "raw_serial", serial)


def _disk_with(session: DeviceSession, machine: str, key: str, value: str) -> Row | None:
    """None where the machine has none with this value; DeviceGone where the host does not run the machine."""
    return next((disk for disk in _machine_now(session, machine)["disks"] if disk[key] == value), None)


def default_store(session: DeviceSession) -> str:
    """The identity of the datastore that the host puts new machines on now; empty for none."""
    return str(session.get(system_uri(session))["Oem"]["Kestrel"].get("DefaultDatastore", ""))


def find_interface(session: DeviceSession, name: str) -> Row:
    """A storage interface as it is now."""
    return _port(session.get(f"{system_uri(session)}/EthernetInterfaces/{name}"))


def add_interface(session: DeviceSession, wanted: Row) -> None:
    """Make a storage interface: name, protocol, network (address with prefix length), vlan, frame_bytes, uplinks."""
    address = ip_interface(wanted["network"])
    body = {
        "Name": wanted["name"],
        "IPv4StaticAddresses": [{"Address": str(address.ip), "SubnetMask": str(address.netmask)}],
        "VLAN": {"VLANEnable": True, "VLANId": wanted["vlan"]},
        "MTUSize": wanted["frame_bytes"],
        "Oem": {"Kestrel": {"Protocol": wanted["protocol"], "ActiveUplinks": wanted["uplinks"]}},
    }
    session.post(f"{system_uri(session)}/EthernetInterfaces", body)


# The field of a device that has each of its settings.
SETTING_FIELDS = {"path_policy": "PathPolicy", "queue_depth": "QueueDepth", "turn_ios": "TurnIos"}


def device_settings(session: DeviceSession, setting: str) -> dict[str, str | int]:
    """A setting's value on each of the host's devices now, by serial; 0 for a number that the host does not tell."""
    members = session.members(f"{system_uri(session)}/Oem/Kestrel/Devices")
    return {str(member["Serial"]): _setting(member, setting) for member in members}


def _setting(member: Resource, setting: str) -> str | int:
    field = SETTING_FIELDS[setting]
    return str(member[field]) if setting == "path_policy" else int(member.get(field, 0))


def set_device(session: DeviceSession, serial: str, setting: str, value: str | int) -> None:
    """Set one setting of one device."""
    if setting == "path_policy":
        act(session, "SetPathPolicy", Serial=serial, Policy=value)
    else:
        act(session, "SetDeviceLimits", Serial=serial, **{SETTING_FIELDS[setting]: value})
