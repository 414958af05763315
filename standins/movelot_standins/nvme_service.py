"""The NVMe/TCP array: as the other block array, with namespaces of one subsystem that let hosts in by NQN.

It has volume sets too, in which every virtual disk, snapshot and swap is a volume of its own.
"""

from __future__ import annotations

import time

from movelot_standins import machine_actions, set_actions, space, space_actions
from movelot_standins.actions import ActionError
from movelot_standins.array_service import OK, ArrayService
from movelot_standins.common_service import Clock
from movelot_standins.model import Connection, Disk, Volume, World
from movelot_standins.nvme_actions import subsystem
from movelot_standins.redfish import Call, Reply, Resource, link, resource, walk
from movelot_standins.set_members import Member, disks_in, members

# For a short time a capped volume gets so many times its cap.
BURST_FACTOR = 1.6


class NvmeService(ArrayService):
    """Namespaces have a number of the subsystem's, which is the same for every host; no LUN numbers."""

    protocol = "NVMe/TCP"
    serial_format = "NGUID"

    def __init__(self, name: str, world: World, password: str, clock: Clock = time.time) -> None:
        super().__init__(name, world, password, clock)
        self.sets = f"{self.storage}/Oem/Kestrel/VolumeSets"
        self.collection(self.sets, "KestrelVolumeSet", "Volume sets", self.volume_sets)
        self.route("POST", self.sets, self.create_set)
        self.route("DELETE", self.sets + "/{id}", self.delete_set)

    def oem(self) -> Resource:
        limits = {"SetsMax": set_actions.SETS_MAX, "VolumesMax": set_actions.VOLUMES_MAX}
        more = {
            "VolumeSets": link(self.sets),
            "VolumeSetLimits": limits,
            "BurstFactor": BURST_FACTOR,
            "LinkedClones": True,
        }
        return {**super().oem(), **more}

    def storage_resource(self, call: Call) -> Resource:
        named = [{"DurableNameFormat": "NQN", "DurableName": subsystem(self.name)}]
        return {**super().storage_resource(call), "Identifiers": named}

    def volume_more(self, volume: Volume) -> Resource:
        return {"NVMeNamespaceProperties": {"NamespaceId": str(int(volume.id))}}

    def numbered(self, _connection: Connection) -> Resource:
        return {}

    def number_of(self, volume: Volume, _info: Resource) -> int:
        return int(volume.id)

    def _sets(self) -> list[Volume]:
        return [volume for volume in self.world.volumes_of(self.name) if volume.kind == "set"]

    def volume_sets(self) -> list[Resource]:
        return [self._set(volume) for volume in self._sets()]

    def _set(self, volume: Volume) -> Resource:
        points = self.world.portals_of(self.name)
        return resource(
            f"{self.sets}/{volume.id}",
            "KestrelVolumeSet.v1_0_0.VolumeSet",
            volume.name,
            Status=OK,
            Description=volume.description,
            Identifiers=[{"DurableNameFormat": "UUID", "DurableName": volume.serial}],
            CapacitySources=[{"ProvidingPools": [self._pool_link(volume)]}],
            ConsumedBytes=space.allocated_bytes(self.world, volume, self.clock()),
            ReducedBytes=sum(
                space.reduced_bytes(self.world, disk, self.clock()) for disk in disks_in(self.world, volume)
            ),
            VolumesMax=volume.volumes_max,
            AccessPoints=[{"Controller": point.controller, "Portal": point.name} for point in points],
        )

    def volumes(self) -> list[Resource]:
        return super().volumes() + [self._member(each, of) for of in self._sets() for each in members(self.world, of)]

    def _member(self, member: Member, of: Volume) -> Resource:
        pool, thin = self._pool_link(of), member.purpose != "Swap"
        disk = self.world.disk(member.disk) if member.purpose == "Disk" else None
        saved = space.reduced_bytes(self.world, disk, self.clock()) if disk else 0
        return resource(
            f"{self.storage}/Volumes/{member.id}",
            "Volume.v1_10_1.Volume",
            member.name,
            Status=OK,
            CapacityBytes=member.size_bytes,
            ProvisioningPolicy="Thin" if thin else "Fixed",
            Capacity={"Data": {"ConsumedBytes": member.allocated_bytes - saved}},
            Compressed=bool(disk and disk.compressed),
            Deduplicated=bool(disk and disk.deduplicated),
            Identifiers=[{"DurableNameFormat": "NGUID", "DurableName": member.serial}],
            CapacitySources=[{"ProvidingPools": [pool]}],
            Links={"Controllers": [link(f"{self.storage}/Controllers/{of.controller}")]},
            Oem={
                "Kestrel": {
                    "VolumeSet": link(f"{self.sets}/{of.id}"),
                    "Purpose": member.purpose,
                    "Machine": member.machine,
                    "Disk": member.disk,
                    "ReducedBytes": saved,
                    "ReducedShare": round(disk.reduced_share, 4) if disk else 1.0,
                    **self._limits(disk),
                }
            },
        )

    def _limits(self, disk: Disk | None) -> Resource:
        """The cap and the floor of a disk's own volume."""
        if disk is None:
            return {}
        cap, floor = disk.limits_at(self.clock())
        return {"IOLimits": {"CapIOPS": cap, "FloorIOPS": floor}}

    def change_volume(self, call: Call) -> Reply:
        """Make a volume larger, reduce its data, or limit a disk's own one; volumes of another kind have no limits."""
        found = walk(self.volumes(), call.parts["id"])
        oem = found["Oem"]["Kestrel"]
        if "VolumeSet" in oem and {"Compressed", "Deduplicated"} & call.body.keys():
            serial = found["Identifiers"][0]["DurableName"]
            return self.accepted(space_actions.reduce(self.world, self.name, serial, call.body, self.clock()))
        if {"CapacityBytes", "Compressed", "Deduplicated"} & call.body.keys():
            return super().change_volume(call)
        disk = self.world.disk(str(oem.get("Disk", "")))
        wanted = call.body.get("Oem", {}).get("Kestrel", {}).get("IOLimits", {})
        if "IOLimits" not in oem or disk is None:
            raise ActionError(409, "PropertyNotWritable", f"{found['Name']} is no disk's own volume.")
        machine_actions.set_limits(
            self.world, disk, int(wanted.get("CapIOPS", 0)), int(wanted.get("FloorIOPS", 0)), self.clock()
        )
        return Reply(200, walk(self.volumes(), call.parts["id"]))

    def sample_blocks(self, call: Call) -> Reply:
        """Fingerprints of a part of a volume's blocks, or those of a disk's own volume."""
        serial = walk(self.volumes(), call.parts["id"])["Identifiers"][0]["DurableName"]
        return Reply(200, space_actions.sampled(self.world, serial, call.body, self.clock()))

    def create_set(self, call: Call) -> Reply:
        pool = self._pool_meant(call)
        name, description = str(call.body["Name"]), str(call.body.get("Description", ""))
        body = self._set(set_actions.create_set(self.world, self.name, name, pool, description))
        return Reply(201, body, {"Location": body["@odata.id"]})

    def delete_set(self, call: Call) -> Reply:
        walk(self.volume_sets(), call.parts["id"])
        set_actions.delete_set(self.world, next(each for each in self._sets() if each.id == call.parts["id"]))
        return Reply(204)

    def _volume_of(self, identity: str) -> Volume:
        found = next((each for each in self._sets() if each.id == identity), None)
        if found is None and any(each.id == identity for of in self._sets() for each in members(self.world, of)):
            raise ActionError(409, "ResourceInUse", "A volume of a set goes with its machine only.")
        return found or super()._volume_of(identity)

    def volume_path(self, identity: str) -> str:
        is_set = any(each.id == identity for each in self._sets())
        return f"{self.sets}/{identity}" if is_set else super().volume_path(identity)
