"""The arrays: Swordfish storage with pools and controllers; for blocks with volumes and a fabric of connections."""

from __future__ import annotations

import time
from typing import Any, ClassVar

from movelot_standins import actions, iscsi_actions, space, space_actions, tiers
from movelot_standins.actions import ActionError
from movelot_standins.common_service import ROOT, Clock, CommonService, metric
from movelot_standins.drives import add_drives, drive_sets
from movelot_standins.fibre_channel import PROTOCOL as FC
from movelot_standins.fibre_channel import alias_of, endpoint_id, fabric_of, name_format, wwpn_of
from movelot_standins.loads import HOUR_SECONDS
from movelot_standins.model import Connection, Pool, Portal, Volume, World
from movelot_standins.physics import (
    COPY_IO_KIB,
    OFFLOAD_BYTES_PER_SECOND,
    REDUCED_BYTES_PER_IO,
    RETURNED_BYTES_PER_IO,
    pool_day,
    pool_now,
)
from movelot_standins.redfish import Call, Collection, Reply, Resource, link, resource, walk

OK = {"State": "Enabled", "Health": "OK"}
PORTS = {"iSCSI": 3260, "NFS": 2049, "NVMe/TCP": 4420}
# Which arrays keep an array's snapshots besides itself.
SNAPSHOT_TARGETS = {"granite": ["basalt"]}
# Redfish has one word for NVMe over any fabric; which one it is the transport says.
# How much work on a volume a pool does with one write.
WORK_COSTS = {"ReturnedBytesPerIO": RETURNED_BYTES_PER_IO, "ReducedBytesPerIO": REDUCED_BYTES_PER_IO}
SPOKEN = {"NVMe/TCP": ("NVMeOverFabrics", "TCP")}


def _over_ip(portal: Portal) -> Resource:
    """Where a portal is reached, and how it is wired."""
    details = {
        "IPv4Address": {"Address": portal.address.split("/")[0]},
        "Port": PORTS[portal.protocol],
        "TransportProtocol": SPOKEN.get(portal.protocol, ("", portal.protocol))[1],
    }
    wired = {
        "Network": portal.address,
        "HostName": portal.hostname,
        "VLANId": portal.vlan,
        "MTUSize": portal.mtu,
        "LLDPReceive": {"SystemName": portal.switch},
    }
    return {"IPTransportDetails": [details], "Oem": {"Kestrel": wired}}


def _over_fc(portal: Portal) -> Resource:
    """What an FC port is called, and the fabric that it has logged in to."""
    return {
        "Identifiers": [{"DurableNameFormat": "FC_WWN", "DurableName": wwpn_of(portal.address)}],
        "Oem": {"Kestrel": {"FabricName": fabric_of(portal.address), "SwitchName": portal.switch}},
    }


class StorageService(CommonService):
    """What arrays of every kind have: storage with controllers and pools, and a fabric with endpoints."""

    protocol: ClassVar[str] = "iSCSI"
    parts: ClassVar[tuple[str, ...]] = ("Controllers", "StoragePools")
    fabric_parts: ClassVar[tuple[str, ...]] = ("Endpoints",)

    def __init__(self, name: str, world: World, password: str, clock: Clock = time.time) -> None:
        super().__init__(name, world, password, clock)
        self.storage = f"{ROOT}/Storage/{name}"
        self.fabric = f"{ROOT}/Fabrics/{name}"
        self.route(
            "GET",
            f"{ROOT}/Storage",
            lambda call: Collection("StorageCollection", "Storage", [self.storage_resource(call)]),
        )
        self.route(
            "GET",
            f"{ROOT}/Fabrics",
            lambda call: Collection("FabricCollection", "Fabrics", [self.fabric_resource(call)]),
        )
        self.route("GET", self.storage, self.storage_resource)
        self.route("GET", self.fabric, self.fabric_resource)
        self.collection(f"{self.storage}/Controllers", "StorageController", "Controllers", self.controllers)
        self.collection(f"{self.storage}/StoragePools", "StoragePool", "StoragePools", self.pools)
        self.collection(f"{self.fabric}/Endpoints", "Endpoint", "Endpoints", self.endpoints)
        self.route("DELETE", f"{self.storage}/StoragePools/{{id}}", self.delete_pool)
        self.route("POST", f"{self.storage}/StoragePools/{{id}}/Actions/Oem/Kestrel.AddDrives", self.add_drives)

    def root_links(self) -> dict[str, Resource]:
        return {"Storage": link(f"{ROOT}/Storage"), "Fabrics": link(f"{ROOT}/Fabrics")}

    def oem(self) -> Resource:
        """What the array says of itself beside the standard."""
        return {}

    def storage_resource(self, _call: Call) -> Resource:
        parts = {name: link(f"{self.storage}/{name}") for name in self.parts}
        return resource(
            self.storage, "Storage.v1_16_0.Storage", self.name, Status=OK, Oem={"Kestrel": self.oem()}, **parts
        )

    def fabric_resource(self, _call: Call) -> Resource:
        parts = {name: link(f"{self.fabric}/{name}") for name in self.fabric_parts}
        return resource(self.fabric, "Fabric.v1_3_2.Fabric", self.name, FabricType="Ethernet", Status=OK, **parts)

    def controllers(self) -> list[Resource]:
        protocols = {portal.protocol for portal in self.world.portals_of(self.name)}
        spoken = sorted(SPOKEN.get(protocol, (protocol,))[0] for protocol in protocols)
        return [
            resource(
                f"{self.storage}/Controllers/{c}",
                "StorageController.v1_8_0.StorageController",
                f"Controller {c}",
                Status=OK,
                SupportedControllerProtocols=spoken,
            )
            for c in sorted({portal.controller for portal in self.world.portals_of(self.name)})
        ]

    def pools(self) -> list[Resource]:
        listed = [pool for pool in self.world.pools_of(self.name) if f"pool:{pool.name}" not in self.world.hidden]
        return [self._pool(pool) for pool in listed]

    def delete_pool(self, call: Call) -> Reply:
        """Delete one that holds no volume."""
        walk(self.pools(), call.parts["id"])
        actions.delete_pool(self.world, self.world.pool_under(call.parts["id"]))
        return Reply(204)

    def add_drives(self, call: Call) -> Reply:
        """Have a pool consist of more drives, of those that belong to none."""
        walk(self.pools(), call.parts["id"])
        pool = self.world.pool_under(call.parts["id"])
        add_drives(pool, int(call.body["Drives"]))
        return Reply(200, self._pool(pool))

    def _pool_link(self, volume: Volume) -> dict[str, str]:
        return link(f"{self.storage}/StoragePools/{self.world.pool(volume.pool).key}")

    def _pool_meant(self, call: Call) -> str:
        """The name of the pool that a request names by its address."""
        return self.world.pool_under(call.body["CapacitySources"][0]["ProvidingPools"][0]["@odata.id"]).name

    def _pool(self, pool: Pool) -> Resource:
        now, there = self.clock(), [volume for volume in self.world.volumes if volume.pool == pool.name]
        allocated = sum(space.allocated_bytes(self.world, volume, now) for volume in there)
        return resource(
            f"{self.storage}/StoragePools/{pool.key}",
            "StoragePool.v1_9_1.StoragePool",
            pool.name,
            Identifiers=[{"DurableNameFormat": "UUID", "DurableName": pool.uuid}],
            Status=OK,
            SupportedRAIDTypes=[pool.raid],
            SupportedProvisioningPolicies=["Thin", "Fixed"],
            DeduplicationEnabled=pool.deduplicates,
            CompressionEnabled=pool.compresses,
            MediaType=pool.media,
            Oem={
                "Kestrel": {
                    "Drives": pool.drives,
                    "Spares": pool.spares,
                    "AddableDrives": pool.addable,
                    "CacheBytes": pool.cache_bytes,
                    "CacheHitShare": pool.cache_hit,
                    "DriveSets": [
                        {
                            "MediaType": each.media,
                            "CapacityBytes": each.size_bytes,
                            "State": each.state,
                            "Count": each.count,
                        }
                        for each in drive_sets(pool)
                    ],
                    "PageBytes": pool.page_bytes,
                    "Tiers": [{"Media": media, "CapacityBytes": size} for media, size in pool.tiers],
                    "RelocationWindow": pool.relocation,
                    "DriveGroups": [
                        {"Name": name, "RAIDType": pool.raid, "Drives": drives} for name, drives in pool.groups()
                    ],
                }
            },
            Capacity={
                "Data": {
                    "AllocatedBytes": pool.capacity_bytes,
                    "ConsumedBytes": allocated,
                    "ProvisionedBytes": sum(space.provisioned_bytes(self.world, volume) for volume in there),
                }
            },
        )

    def endpoints(self) -> list[Resource]:
        return [self._target(portal) for portal in self.world.portals_of(self.name)]

    def _target(self, portal: Portal) -> Resource:
        protocol, _ = SPOKEN.get(portal.protocol, (portal.protocol, ""))
        return resource(
            f"{self.fabric}/Endpoints/{portal.name}",
            "Endpoint.v1_8_1.Endpoint",
            portal.name,
            EndpointProtocol=protocol,
            ConnectedEntities=[
                {
                    "EntityType": "StorageTarget",
                    "EntityRole": "Target",
                    "EntityLink": link(f"{self.storage}/Controllers/{portal.controller}"),
                }
            ],
            Status={"State": "Enabled" if portal.up else "Disabled", "Health": "OK"},
            **(_over_fc(portal) if portal.protocol == FC else _over_ip(portal)),
        )

    def metric_day(self, day: int) -> list[Resource]:
        pools, now = self.world.pools_of(self.name), self.clock()
        responses = [
            metric(
                "ResponseTimeMs",
                f"{self.storage}/StoragePools/{pool.key}",
                day * 86400 + hour * HOUR_SECONDS,
                float(value),
            )
            for pool in pools
            for hour, value in enumerate(pool_day(self.world, pool, day))
        ]
        return (
            responses
            + [
                metric(
                    "ConsumedBytes",
                    f"{self.storage}/StoragePools/{pool.key}",
                    day * 86400,
                    space.pool_used_on(self.world, pool, day, now),
                )
                for pool in pools
            ]
            + [row for pool in pools if pool.tiers for row in self._tier_day(pool, day, now)]
        )

    def _tier_day(self, pool: Pool, day: int, now: float) -> list[Resource]:
        """What lay on each tier at the start of a day, and what had come to it from others in the night before."""
        before, after = (
            tiers.tier_bytes(self.world, pool, each, space.pool_used_on(self.world, pool, each, now), now)
            for each in (day - 1, day)
        )
        told = {"TierConsumedBytes": after, "TierMovedInBytes": tiers.moved_in(before, after)}
        uri = f"{self.storage}/StoragePools/{pool.key}#/Oem/Kestrel/Tiers"
        return [
            metric(name, f"{uri}/{number}", day * 86400, value)
            for name, values in told.items()
            for number, value in enumerate(values)
        ]

    def metric_now(self, when: float) -> list[Resource]:
        return [
            metric(
                "ResponseTimeMs", f"{self.storage}/StoragePools/{pool.key}", when, pool_now(self.world, pool, when)[0]
            )
            for pool in self.world.pools_of(self.name)
        ]


class ArrayService(StorageService):
    """A block array: volumes, and connections that let initiators see them."""

    parts = (*StorageService.parts, "Volumes")
    fabric_parts = ("Endpoints", "Zones", "Connections")
    serial_format: ClassVar[str] = "NAA"

    def __init__(self, name: str, world: World, password: str, clock: Clock = time.time) -> None:
        super().__init__(name, world, password, clock)
        self.collection(f"{self.storage}/Volumes", "Volume", "Volumes", self.volumes)
        self.collection(f"{self.fabric}/Zones", "Zone", "Zones", self.zones)
        self.collection(f"{self.fabric}/Connections", "Connection", "Connections", self.connections)
        self.route("POST", f"{self.storage}/Volumes", self.create_volume)
        self.route("DELETE", f"{self.storage}/Volumes/{{id}}", self.delete_volume)
        self.route("PATCH", f"{self.storage}/Volumes/{{id}}", self.change_volume)
        self.route("POST", f"{self.storage}/Volumes/{{id}}/Actions/Oem/Kestrel.SampleBlocks", self.sample_blocks)
        self.route("POST", f"{self.fabric}/Connections", self.connect)
        self.route("PATCH", f"{self.fabric}/Connections/{{id}}", self.let_in)
        self.route("DELETE", f"{self.fabric}/Connections/{{id}}", self.disconnect)
        self.route("POST", f"{self.fabric}/Endpoints", self.add_initiator)
        self.route("DELETE", f"{self.fabric}/Endpoints/{{id}}", self.drop_initiator)
        self.route("PATCH", f"{self.fabric}/Endpoints/{{id}}", self.set_chap)

    def oem(self) -> Resource:
        rate = OFFLOAD_BYTES_PER_SECOND * self.world.pace
        return {
            "CopyBytesPerSecond": rate,
            "CopyIOPS": round(OFFLOAD_BYTES_PER_SECOND / (COPY_IO_KIB * 1024)),
            "TargetPerVolume": self.protocol == "iSCSI",
            "SnapshotTargets": SNAPSHOT_TARGETS.get(self.name, []),
            "GuaranteedIOPS": self.protocol == "NVMe/TCP",
            **WORK_COSTS,
        }

    def storage_resource(self, call: Call) -> Resource:
        named = {"DurableNameFormat": "iQN", "DurableName": self.world.target_name(self.name)}
        return {**super().storage_resource(call), "Identifiers": [named]}

    def volumes(self) -> list[Resource]:
        return [self._volume(volume) for volume in self.world.volumes_of(self.name) if volume.kind == "volume"]

    def _volume(self, volume: Volume) -> Resource:
        owner = link(f"{self.storage}/Controllers/{volume.controller}")
        return resource(
            f"{self.storage}/Volumes/{volume.id}",
            "Volume.v1_10_1.Volume",
            volume.name,
            Status=OK,
            Description=volume.description,
            CapacityBytes=volume.size_bytes,
            ProvisioningPolicy="Thin" if volume.thin else "Fixed",
            Compressed=volume.compressed,
            Deduplicated=volume.deduplicated,
            Capacity={"Data": {"ConsumedBytes": space.allocated_bytes(self.world, volume, self.clock())}},
            Identifiers=[{"DurableNameFormat": self.serial_format, "DurableName": volume.serial}],
            CapacitySources=[{"ProvidingPools": [self._pool_link(volume)]}],
            Links={"Controllers": [owner]},
            **self.volume_more(volume),
        )

    def volume_more(self, volume: Volume) -> Resource:
        """What the array says of a volume beside what all do: the target that it is behind."""
        tiering = {"Tiering": volume.tiering} if volume.tiering else {}
        saved = space.reduced_bytes(self.world, volume, self.clock())
        told = {"ReducedBytes": saved, "ReducedShare": round(volume.reduced_share, 4)}
        return {"Oem": {"Kestrel": {"Target": self.world.target_of(volume), **told, **tiering}}}

    def change_volume(self, call: Call) -> Reply:
        """Make a volume larger, or begin to reduce its data."""
        volume = self._volume_of(call.parts["id"])
        if "CapacityBytes" in call.body:
            actions.grow_volume(self.world, volume, int(call.body["CapacityBytes"]), self.clock())
        if {"Compressed", "Deduplicated"} & call.body.keys():
            return self.accepted(space_actions.reduce(self.world, self.name, volume.serial, call.body, self.clock()))
        return Reply(200, self._volume(volume))

    def sample_blocks(self, call: Call) -> Reply:
        """Fingerprints of a part of a volume's blocks."""
        serial = self._volume_of(call.parts["id"]).serial
        return Reply(200, space_actions.sampled(self.world, serial, call.body, self.clock()))

    def endpoints(self) -> list[Resource]:
        return super().endpoints() + [self._initiator(name) for name in self.known]

    @property
    def known(self) -> list[str]:
        """The initiators, or host NQNs, that it knows."""
        return self.world.initiators[self.name]

    def _initiator(self, name: str) -> Resource:
        form = name_format(name)
        asked = self.world.chap.get(self.name, {}).get(name, {"Method": iscsi_actions.OFF})
        return resource(
            f"{self.fabric}/Endpoints/{endpoint_id(name)}",
            "Endpoint.v1_8_1.Endpoint",
            alias_of(self.world, name) or endpoint_id(name),
            EndpointProtocol=FC if form == "FC_WWN" else SPOKEN.get(self.protocol, (self.protocol,))[0],
            Identifiers=[{"DurableNameFormat": form, "DurableName": name}],
            ConnectedEntities=[{"EntityType": "StorageInitiator", "EntityRole": "Initiator"}],
            Status=OK,
            # Secrets are written, never told.
            **({"Oem": {"Kestrel": {"Chap": asked["Method"]}}} if form == "iQN" else {}),
        )

    def zones(self) -> list[Resource]:
        """Zones of the FC fabrics that its ports are in, as their name server tells them."""
        fabrics = {fabric_of(portal.address) for portal in self.world.portals_of(self.name)}
        return [
            resource(
                f"{self.fabric}/Zones/{zone.fabric}-{zone.name}",
                "Zone.v1_6_2.Zone",
                zone.name,
                Status=OK,
                ZoneType="ZoneOfEndpoints",
                Oem={
                    "Kestrel": {
                        "FabricName": zone.fabric,
                        "Members": [{"Alias": alias, "WWPN": wwpn} for alias, wwpn in zone.members],
                    }
                },
            )
            for zone in self.world.zones
            if zone.fabric in fabrics
        ]

    def connections(self) -> list[Resource]:
        return [self._connection(connection) for connection in self.world.connections_of(self.name)]

    def _connection(self, connection: Connection) -> Resource:
        initiators = [link(f"{self.fabric}/Endpoints/{endpoint_id(name)}") for name in connection.initiators]
        targets = [link(f"{self.fabric}/Endpoints/{portal.name}") for portal in self.world.portals_of(self.name)]
        return resource(
            f"{self.fabric}/Connections/{connection.id}",
            "Connection.v1_3_1.Connection",
            f"Connection {connection.id}",
            ConnectionType="Storage",
            Status=OK,
            VolumeInfo=[
                {
                    "AccessCapabilities": ["Read", "Write"],
                    "Volume": link(self.volume_path(connection.volume)),
                    **self.numbered(connection),
                }
            ],
            Links={"InitiatorEndpoints": initiators, "TargetEndpoints": targets},
        )

    def volume_path(self, identity: str) -> str:
        """Where a volume is found."""
        return f"{self.storage}/Volumes/{identity}"

    def numbered(self, connection: Connection) -> Resource:
        """The number under which hosts see the volume."""
        return {"LUN": connection.lun}

    def number_of(self, _volume: Volume, info: Resource) -> int:
        """The number that a new connection gives a volume."""
        return int(info["LUN"])

    def create_volume(self, call: Call) -> Reply:
        pool = self._pool_meant(call)
        oem = call.body.get("Oem", {}).get("Kestrel", {})
        more = {"pool": pool, "own_target": oem.get("OwnTarget", False), "tiering": oem.get("Tiering", "")}
        volume = actions.create_volume(self.world, {**call.body, **more}, self.clock())
        body = self._volume(volume)
        return Reply(201, body, {"Location": body["@odata.id"]})

    def _volume_of(self, identity: str) -> Volume:
        walk(self.volumes(), identity)
        return next(volume for volume in self.world.volumes if volume.id == identity)

    def delete_volume(self, call: Call) -> Reply:
        actions.delete_volume(self.world, self._volume_of(call.parts["id"]))
        return Reply(204)

    def connect(self, call: Call) -> Reply:
        info: Any = call.body["VolumeInfo"][0]
        volume = self._volume_of(info["Volume"]["@odata.id"].rsplit("/", 1)[1])
        initiators = self._initiators(call.body["Links"]["InitiatorEndpoints"])
        body = self._connection(actions.connect(self.world, volume.id, initiators, self.number_of(volume, info)))
        return Reply(201, body, {"Location": body["@odata.id"]})

    def let_in(self, call: Call) -> Reply:
        walk(self.connections(), call.parts["id"])
        connection = next(c for c in self.world.connections if c.id == call.parts["id"])
        wanted = self._initiators(call.body["Links"]["InitiatorEndpoints"])
        return Reply(200, self._connection(actions.let_in(self.world, connection, wanted)))

    def _initiators(self, ends: list[Resource]) -> list[str]:
        wanted = {end["@odata.id"].rsplit("/", 1)[1] for end in ends}
        found = [name for name in self.known if endpoint_id(name) in wanted]
        if len(found) < len(wanted):
            raise ActionError(400, "PropertyValueNotInList", "An initiator endpoint is unknown.")
        return found

    def add_initiator(self, call: Call) -> Reply:
        name = str(call.body["Identifiers"][0]["DurableName"])
        actions.add_initiator(self.world, self.name, name)
        body = self._initiator(name)
        return Reply(201, body, {"Location": body["@odata.id"]})

    def set_chap(self, call: Call) -> Reply:
        name = self._initiator_of(call)
        if name_format(name) != "iQN":
            raise ActionError(400, "PropertyNotWritable", f"{name} is no iSCSI initiator.")
        iscsi_actions.set_array_chap(self.world, self.name, name, call.body["Oem"]["Kestrel"]["Chap"])
        return Reply(200, self._initiator(name))

    def _initiator_of(self, call: Call) -> str:
        walk(self.endpoints(), call.parts["id"])
        name = next((name for name in self.known if endpoint_id(name) == call.parts["id"]), None)
        if name is None:
            raise ActionError(405, "ResourceCannotBeDeleted", "A portal of the array is not changed.")
        return name

    def drop_initiator(self, call: Call) -> Reply:
        name = self._initiator_of(call)
        actions.drop_initiator(self.world, self.name, name)
        return Reply(204)

    def disconnect(self, call: Call) -> Reply:
        walk(self.connections(), call.parts["id"])
        self.world.connections[:] = [c for c in self.world.connections if c.id != call.parts["id"]]
        return Reply(204)
