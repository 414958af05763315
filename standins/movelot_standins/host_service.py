"""A hypervisor host: a standard computer system, and under Oem what hypervisors do with storage."""

from __future__ import annotations

import time
import uuid
from ipaddress import ip_interface

from movelot_standins import (
    actions,
    fibre_channel,
    file_actions,
    interface_actions,
    iscsi_actions,
    nvme_actions,
    set_actions,
    space,
    space_actions,
)
from movelot_standins.actions import ActionError
from movelot_standins.common_service import ROOT, Clock, metric, stamp
from movelot_standins.contents import Contents
from movelot_standins.image_service import ImageService
from movelot_standins.loads import HOUR_SECONDS, day_load, grown_since, load_at
from movelot_standins.model import Datastore, Disk, Interface, LooseDisk, Volume, World
from movelot_standins.physics import COPY_IO_KIB, HOST_COPY_BYTES_PER_SECOND
from movelot_standins.redfish import Call, Collection, Reply, Resource, link, resource, walk

PATH_POLICIES = ("RoundRobin", "OnePath", "ShortestQueue")
# I/Os that a host keeps outstanding to one block device before it queues the rest itself.
DEVICE_QUEUE_DEPTH = 40
# What a device is given when it is found, and the most a host allows.
DEVICE_LIMITS = {"QueueDepth": DEVICE_QUEUE_DEPTH, "TurnIos": 48}
DEVICE_LIMITS_MOST = {"QueueDepth": 256, "TurnIos": 4096}
OK = {"State": "Enabled", "Health": "OK"}


class HostService(ImageService):
    """One host."""

    def __init__(self, name: str, world: World, password: str, contents: Contents, clock: Clock = time.time) -> None:
        super().__init__(name, world, password, clock)
        self.contents = contents
        self.system = f"{ROOT}/Systems/{name}"
        self.route(
            "GET",
            f"{ROOT}/Systems",
            lambda call: Collection("ComputerSystemCollection", "Systems", [self.computer(call)]),
        )
        self.route("GET", self.system, self.computer)
        for path, kind, name_, members in (
            (f"{self.system}/EthernetInterfaces", "EthernetInterface", "Ethernet interfaces", self.interfaces),
            (f"{self.system}/FabricAdapters/hba/Ports", "Port", "Fibre Channel ports", self.fc_ports),
            (f"{self.oem}/Devices", "KestrelDevice", "Devices", self.devices),
            (f"{self.oem}/Datastores", "KestrelDatastore", "Datastores", self.datastores),
            (f"{self.oem}/VirtualMachines", "KestrelVirtualMachine", "Virtual machines", self.machines),
            (f"{self.oem}/Images", "KestrelImage", "Images", self.images),
        ):
            self.collection(path, kind, name_, members)
        self.route("GET", f"{self.oem}/Contents/{{id}}", self.list_extents)
        self.route("GET", f"{self.oem}/Contents/{{id}}/{{offset}}/{{length}}", self.read_blocks)
        self.route("PATCH", f"{self.system}/EthernetInterfaces/{{id}}", self.set_interface)
        self.route("POST", f"{self.system}/EthernetInterfaces", self.add_interface)
        self.route("DELETE", f"{self.system}/EthernetInterfaces/{{id}}", self.drop_interface)
        self.acts = {
            "MountExport": self.mount_export,
            "UnmountExport": self.unmount_export,
            "SetFileClient": self.set_file_client,
            "Scan": self.scan,
            "Format": self.format,
            "Mount": self.mount,
            "Unmount": self.unmount,
            "GrowDatastore": self.grow_datastore,
            "ReturnBlocks": self.return_blocks,
            "DeleteLooseDisk": self.delete_loose_disk,
            "Wipe": self.wipe,
            "SetPathPolicy": self.set_path_policy,
            "SetDeviceLimits": self.set_device_limits,
            "MountSet": self.mount_set,
            "ConnectSubsystem": self.connect_subsystem,
            "DisconnectSubsystem": self.disconnect_subsystem,
            "LogIn": self.log_in,
            "LogOut": self.log_out,
            "SetChap": self.set_chap,
            "SetDefaultDatastore": self.set_default,
            **self.machine_acts(),
            **self.image_acts(),
        }
        for verb, handler in self.acts.items():
            self.route("POST", f"{self.system}/Actions/Oem/Kestrel.{verb}", handler)

    def root_links(self) -> dict[str, Resource]:
        return {"Systems": link(f"{ROOT}/Systems")}

    def computer(self, _call: Call) -> Resource:
        targets = {f"#Kestrel.{verb}": {"target": f"{self.system}/Actions/Oem/Kestrel.{verb}"} for verb in self.acts}
        return resource(
            self.system,
            "ComputerSystem.v1_23_0.ComputerSystem",
            self.name,
            UUID=str(uuid.uuid5(uuid.NAMESPACE_DNS, self.name)),
            SystemType="Physical",
            PowerState="On",
            Status=OK,
            HostName=self.name,
            EthernetInterfaces=link(f"{self.system}/EthernetInterfaces"),
            Actions={"Oem": targets},
            Oem={
                "Kestrel": {
                    "Cluster": self.host.cluster,
                    "InitiatorName": self.host.iqn,
                    "HostNQN": self.host.nqn,
                    "Subsystems": self._subsystems(),
                    "Targets": iscsi_actions.targets_of(self.world, self.host),
                    "Devices": link(f"{self.oem}/Devices"),
                    "Datastores": link(f"{self.oem}/Datastores"),
                    "VirtualMachines": link(f"{self.oem}/VirtualMachines"),
                    "Images": link(f"{self.oem}/Images"),
                    **({"FibreChannelPorts": link(f"{self.system}/FabricAdapters/hba/Ports")} if self._fc() else {}),
                    "CopyBytesPerSecond": HOST_COPY_BYTES_PER_SECOND * self.world.pace,
                    "CopyIOPS": round(HOST_COPY_BYTES_PER_SECOND / (COPY_IO_KIB * 1024)),
                    "ScanSeconds": actions.SCAN_SECONDS / self.world.pace,
                    "FileClient": self.host.file_client,
                    "DefaultDatastore": self.host.default_datastore,
                    "DeviceQueueDepth": DEVICE_QUEUE_DEPTH,
                }
            },
        )

    def interfaces(self) -> list[Resource]:
        return [self._interface(each) for each in self.host.interfaces if each.protocol != fibre_channel.PROTOCOL]

    def _fc(self) -> list[Interface]:
        return [each for each in self.host.interfaces if each.protocol == fibre_channel.PROTOCOL]

    def fc_ports(self) -> list[Resource]:
        """Its FC ports, with the fabric that each has logged in to."""
        return [
            resource(
                f"{self.system}/FabricAdapters/hba/Ports/{port.name}",
                "Port.v1_12_0.Port",
                port.name,
                PortProtocol="FC",
                LinkStatus="LinkUp",
                FibreChannel={
                    "AssociatedWorldWideNames": [fibre_channel.wwpn_of(port.address)],
                    "FabricName": fibre_channel.fabric_of(port.address),
                },
                Status=OK,
                Oem={"Kestrel": {"SwitchName": self.host.cabling.get(port.name, "")}},
            )
            for port in self._fc()
        ]

    def _interface(self, interface: Interface) -> Resource:
        address = ip_interface(interface.address)
        return resource(
            f"{self.system}/EthernetInterfaces/{interface.name}",
            "EthernetInterface.v1_12_3.EthernetInterface",
            interface.name,
            MACAddress=interface.mac,
            LinkStatus="LinkUp",
            InterfaceEnabled=True,
            MTUSize=interface.mtu,
            Status=OK,
            IPv4Addresses=[{"Address": str(address.ip), "SubnetMask": str(address.netmask)}],
            VLAN={"VLANEnable": True, "VLANId": interface.vlan},
            Oem={
                "Kestrel": {
                    "ActiveUplinks": interface.active,
                    "StandbyUplinks": interface.standby,
                    "Protocol": interface.protocol,
                    "LLDPReceive": {"SystemName": self.host.cabling.get(interface.active[0], "")}
                    if interface.active
                    else {},
                    "Bound": interface.protocol == "iSCSI" and actions.bound(interface),
                }
            },
        )

    def set_interface(self, call: Call) -> Reply:
        walk(self.interfaces(), call.parts["id"])
        interface = next(i for i in self.host.interfaces if i.name == call.parts["id"])
        wanted = call.body.get("Oem", {}).get("Kestrel", {})
        interface.mtu = int(call.body.get("MTUSize", interface.mtu))
        interface.active = [str(name) for name in wanted.get("ActiveUplinks", interface.active)]
        interface.standby = [str(name) for name in wanted.get("StandbyUplinks", interface.standby)]
        return Reply(200, self._interface(interface))

    def add_interface(self, call: Call) -> Reply:
        body = self._interface(interface_actions.add_interface(self.world, self.host, call.body))
        return Reply(201, body, {"Location": body["@odata.id"]})

    def drop_interface(self, call: Call) -> Reply:
        walk(self.interfaces(), call.parts["id"])
        interface_actions.drop_interface(self.world, self.host, call.parts["id"])
        return Reply(204)

    def devices(self) -> list[Resource]:
        """Block devices of the last scan and namespaces, with a path for each (interface, portal) pair that works."""
        found, names = [], fibre_channel.identities(self.host)
        for serial, pairs in self._pairs_by_serial():
            volume = self.world.volume_by_serial(serial)
            offers = [c for c in self.world.connections if volume and c.volume == volume.id]
            offered = next((offer for offer in offers if names & set(offer.initiators)), None)
            if volume is None or offered is None:
                # What the array no longer offers stays known, without a path, until the next scan.
                found.append(self._device(serial, volume.size_bytes if volume else 0, 0, [], "Absent", ("None", "")))
                continue
            paths = self._paths(volume, pairs, offered.initiators)
            signature = (volume.signature_kind or "None", volume.signature_id)
            found.append(self._device(serial, self._size_of(volume), offered.lun, paths, "Enabled", signature))
        return found

    def _pairs_by_serial(self) -> list[tuple[str, list[list[str]]]]:
        namespaces = [
            (volume.serial, pairs)
            for array, pairs in self.host.connected.items()
            for volume in self.world.volumes_of(array)
            if actions.sees(self.world, self.host, volume.serial)
        ]
        return [*self.host.known.items(), *namespaces]

    def _paths(self, volume: Volume, pairs: list[list[str]], admitted: list[str]) -> list[Resource]:
        """The paths that work now. Where one over FC does, those over iSCSI stand by."""
        ports = {interface.name: interface for interface in self.host.interfaces}
        portals = {portal.name: portal for portal in self.world.portals_of(self.world.array_of(volume))}
        sessions = [session[:2] for session in self.host.sessions.get(self.world.target_of(volume), [])]
        ways = [
            (ports[port], portals[portal])
            for port, portal in pairs
            if fibre_channel.identity_of(self.host, ports[port]) in admitted
            and actions.reaches(self.world, ports[port], portals[portal])
            and (ports[port].protocol != iscsi_actions.PROTOCOL or [port, portal] in sessions)
        ]
        over_fc = any(port.protocol == fibre_channel.PROTOCOL for port, _ in ways)
        states = {c: "Optimized" if c == volume.controller else "NonOptimized" for c in "AB"}
        return [
            {
                "Port": port.name,
                "Portal": portal.name,
                "AccessState": "Standby" if over_fc and port.protocol == "iSCSI" else states[portal.controller],
            }
            for port, portal in ways
        ]

    @property
    def _namespaces(self) -> set[str]:
        return {volume.serial for volume in self.world.volumes_of(self.world.nvme_array)}

    def _device(
        self, serial: str, size: int, lun: int, paths: list[Resource], state: str, signature: tuple[str, str]
    ) -> Resource:
        return resource(
            f"{self.oem}/Devices/{serial}",
            "KestrelDevice.v1_0_0.Device",
            f"nguid.{serial}" if serial in self._namespaces else f"naa.{serial}",
            Serial=serial,
            CapacityBytes=size,
            LUN=lun,
            Paths=paths,
            PathPolicy=self.host.path_policy.get(serial, "OnePath"),
            **DEVICE_LIMITS | self.host.limits.get(serial, {}),
            Status={"State": state},
            Signature={"Kind": signature[0], "Identity": signature[1]},
        )

    def _size_of(self, volume: Volume) -> int:
        """A device's size as of the last scan."""
        return self.host.sizes.get(volume.serial, volume.size_bytes)

    def datastores(self) -> list[Resource]:
        mounted = [store for store in self.world.datastores if store.id in self.host.mounted]
        return [self._datastore(store) for store in mounted if f"datastore:{store.name}" not in self.world.hidden]

    def _datastore(self, store: Datastore) -> Resource:
        now = self.clock()
        more: Resource = {}
        volume = self.world.volume_by_serial(store.serial)
        if volume and volume.kind == "set":
            pairs = set_actions.ways(self.world, self.host, volume)
            more["VolumeSet"] = {"Ways": [{"Port": port, "Portal": portal} for port, portal in pairs]}
        if store.server:
            way = file_actions.way_to(self.world, self.host, store)
            more["Export"] = {
                "Server": store.server,
                "Path": store.path,
                "Version": self.host.file_versions.get(store.id, ""),
                "Ways": [{"Port": way[0], "Portal": way[1]}] if way else [],
            }
        return resource(
            f"{self.oem}/Datastores/{store.id}",
            "KestrelDatastore.v1_0_0.Datastore",
            store.name,
            Extents=[{"DeviceSerial": store.serial, "CapacityBytes": store.capacity_bytes}],
            CapacityBytes=store.capacity_bytes,
            Mounted=True,
            FreeBytes=space.free_bytes(self.world, store, now),
            OtherBytes=space.other_bytes(self.world, store, now),
            Contents=[{"Kind": kind, "Name": name} for kind, name in store.contents],
            LooseDisks=[_loose(disk) for disk in self.world.loose if disk.datastore == store.id],
            **more,
        )

    def set_default(self, call: Call) -> Reply:
        identity = str(call.body["Identity"])
        actions.set_default(self.host, identity)
        return Reply(200, {"DefaultDatastore": identity})

    def scan(self, call: Call) -> Reply:
        return self._long("Scan", call, actions.SCAN_SECONDS)

    def _long(self, kind: str, call: Call, seconds: float) -> Reply:
        task = actions.start_task(self.world, self.name, kind, str(call.body.get("Key", "")), seconds, self.clock())
        return self.accepted(task)

    def format(self, call: Call) -> Reply:
        serial, name, key = (str(call.body[part]) for part in ("Serial", "Name", "Key"))
        store = actions.format_device(self.world, self.host, serial, name, key)
        return Reply(201, {"Id": store.id, "Name": store.name, "Extents": [{"DeviceSerial": store.serial}]})

    def mount(self, call: Call) -> Reply:
        store = actions.mount(self.world, self.host, str(call.body["Serial"]))
        return Reply(200, walk(self.datastores(), store.id))

    def grow_datastore(self, call: Call) -> Reply:
        store = actions.grow_datastore(self.world, self.host, str(call.body["Serial"]))
        return Reply(200, walk(self.datastores(), store.id))

    def delete_loose_disk(self, call: Call) -> Reply:
        actions.delete_loose_disk(self.world, self.host, str(call.body["Disk"]))
        return Reply(204)

    def return_blocks(self, call: Call) -> Reply:
        fields = str(call.body["Serial"]), str(call.body["Key"]), float(call.body.get("BytesPerSecond", 0))
        return self.accepted(space_actions.return_blocks(self.world, self.host, *fields, self.clock()))

    def unmount(self, call: Call) -> Reply:
        actions.unmount(self.world, self.host, self._store(call))
        return Reply(204)

    def mount_export(self, call: Call) -> Reply:
        fields = {part: str(call.body[part]) for part in ("Server", "Path", "Version", "Name")}
        return Reply(200, self._datastore(file_actions.mount_export(self.world, self.host, fields)))

    def unmount_export(self, call: Call) -> Reply:
        store = self.world.datastore(str(call.body["Identity"]))
        if store is None:
            raise ActionError(404, "ResourceMissingAtURI", "There is no such datastore.")
        actions.unmount(self.world, self.host, store)
        return Reply(204)

    def set_file_client(self, call: Call) -> Reply:
        file_actions.set_file_client(self.host, call.body["Settings"])
        return Reply(200, {"FileClient": self.host.file_client})

    def wipe(self, call: Call) -> Reply:
        serial = str(call.body["Serial"])
        if not actions.sees(self.world, self.host, serial):
            raise ActionError(404, "ResourceMissingAtURI", f"{self.name} does not see device {serial}.")
        actions.wipe(self.world, serial)
        return Reply(204)

    def _store(self, call: Call) -> Datastore:
        store = next((s for s in self.world.datastores if s.serial == str(call.body["Serial"])), None)
        if store is None:
            raise ActionError(404, "ResourceMissingAtURI", "There is no such datastore.")
        return store

    def set_path_policy(self, call: Call) -> Reply:
        serial, policy = str(call.body["Serial"]), str(call.body["Policy"])
        device = walk(self.devices(), serial)
        if policy not in PATH_POLICIES:
            raise ActionError(400, "PropertyValueNotInList", f"There is no path policy {policy}.")
        self.host.path_policy[serial] = policy
        return Reply(200, {**device, "PathPolicy": policy})

    def set_device_limits(self, call: Call) -> Reply:
        serial = str(call.body["Serial"])
        device = walk(self.devices(), serial)
        wanted = {name: call.body[name] for name in DEVICE_LIMITS if name in call.body}
        for name, value in wanted.items():
            if not isinstance(value, int) or not 1 <= value <= DEVICE_LIMITS_MOST[name]:
                raise ActionError(400, "PropertyValueOutOfRange", f"{name} is 1 to {DEVICE_LIMITS_MOST[name]}.")
        self.host.limits[serial] = {**self.host.limits.get(serial, {}), **wanted}
        return Reply(200, {**device, **wanted})

    def _subsystems(self) -> list[Resource]:
        return [
            {
                "NQN": nvme_actions.subsystem(array),
                "Connections": [{"Port": port, "Portal": portal} for port, portal in pairs],
            }
            for array, pairs in self.host.connected.items()
        ]

    def mount_set(self, call: Call) -> Reply:
        store = set_actions.mount_set(self.world, self.host, str(call.body["Serial"]), str(call.body["Name"]))
        return Reply(200, self._datastore(store))

    def connect_subsystem(self, call: Call) -> Reply:
        nvme_actions.connect(self.world, self.host, str(call.body["NQN"]), str(call.body["DiscoveryAddress"]))
        return Reply(200, {"Subsystems": self._subsystems()})

    def disconnect_subsystem(self, call: Call) -> Reply:
        keep = [[str(pair["Port"]), str(pair["Portal"])] for pair in call.body.get("Keep", [])]
        nvme_actions.disconnect(self.world, self.host, str(call.body["NQN"]), keep)
        return Reply(200, {"Subsystems": self._subsystems()})

    def log_in(self, call: Call) -> Reply:
        target, address = str(call.body["Target"]), str(call.body["DiscoveryAddress"])
        iscsi_actions.login(self.world, self.host, target, address, again=bool(call.body.get("Again")))
        return Reply(200, {"Targets": iscsi_actions.targets_of(self.world, self.host)})

    def log_out(self, call: Call) -> Reply:
        keep = [[str(pair["Port"]), str(pair["Portal"])] for pair in call.body.get("Keep", [])]
        iscsi_actions.logout(self.world, self.host, str(call.body["Target"]), keep)
        return Reply(200, {"Targets": iscsi_actions.targets_of(self.world, self.host)})

    def set_chap(self, call: Call) -> Reply:
        iscsi_actions.set_host_chap(self.world, self.host, str(call.body["Target"]), call.body["Chap"])
        return Reply(200, {"Targets": iscsi_actions.targets_of(self.world, self.host)})

    def _disks(self) -> list[tuple[int, Disk]]:
        own = {disk.id for machine in self.world.machines if machine.host == self.name for disk in machine.disks}
        return [(number, disk) for number, disk in enumerate(self.world.disks()) if disk.id in own]

    def metric_day(self, day: int) -> list[Resource]:
        values = self._used_bytes(day)
        for number, disk in self._disks():
            read, write = day_load(disk, number, self.world.seed, day)
            for hour in range(24):
                values += self._metrics(disk, day * 86400 + hour * HOUR_SECONDS, float(read[hour]), float(write[hour]))
        return values

    def _used_bytes(self, day: int) -> list[Resource]:
        """What each mounted datastore held at the start of ``day``: disks as now, less what has grown since."""
        now, today = self.clock(), int(self.clock() // 86400)
        return [
            metric(
                "UsedBytes",
                f"{self.oem}/Datastores/{store.id}",
                day * 86400,
                space.used_bytes(self.world, store, now) - grown_since(store, day, today, self.world.seed),
            )
            for store in self.world.datastores
            if store.id in self.host.mounted
        ]

    def metric_now(self, when: float) -> list[Resource]:
        idle = self.world.idle()
        values = []
        for number, disk in self._disks():
            load = (0.0, 0.0) if disk.id in idle else load_at(disk, number, self.world.seed, when)
            values += self._metrics(disk, when, *load)
        return values

    def _metrics(self, disk: Disk, when: float, read: float, write: float) -> list[Resource]:
        values = {"ReadIops": read, "WriteIops": write, "IoKiB": disk.kib}
        return [metric(name, f"{self.oem}/Disks/{disk.id}", when, value) for name, value in values.items()]


def _loose(disk: LooseDisk) -> Resource:
    return {
        "Id": disk.id,
        "Name": disk.name,
        "CapacityBytes": disk.size_bytes,
        "WrittenBytes": disk.written_bytes,
        "LastWritten": stamp(disk.last_written),
        "DescribedBy": disk.made_for,
    }
