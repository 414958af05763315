"""The file array: Swordfish file systems and the shares in which NFS clients mount them."""

from __future__ import annotations

import time

from movelot_standins import actions, file_actions, space, space_actions
from movelot_standins.actions import ActionError
from movelot_standins.array_service import OK, WORK_COSTS, StorageService
from movelot_standins.common_service import Clock
from movelot_standins.model import Export, Volume, World
from movelot_standins.redfish import Call, Collection, Reply, Resource, link, resource, walk


class FileService(StorageService):
    """File systems with their exports; each is served by the server interfaces of the controller that owns it."""

    protocol = "NFS"
    parts = (*StorageService.parts, "FileSystems")

    def __init__(self, name: str, world: World, password: str, clock: Clock = time.time) -> None:
        super().__init__(name, world, password, clock)
        systems = f"{self.storage}/FileSystems"
        shares = systems + "/{fs}/ExportedFileShares"
        self.collection(systems, "FileSystem", "FileSystems", self.file_systems)
        self.route("POST", systems, self.create_file_system)
        self.route("DELETE", systems + "/{id}", self.delete_file_system)
        self.route("PATCH", systems + "/{id}", self.change_file_system)
        self.route("POST", systems + "/{id}/Actions/Oem/Kestrel.SampleBlocks", self.sample_blocks)
        self.route("GET", shares, lambda call: Collection("FileShareCollection", "Shares", self.shares(call)))
        self.route("GET", shares + "/{id}", lambda call: walk(self.shares(call), call.parts["id"]))
        self.route("POST", shares, self.export)
        self.route("PATCH", shares + "/{id}", self.change_export)
        self.route("DELETE", shares + "/{id}", self.withdraw)

    def oem(self) -> Resource:
        return {"ClientAdvice": self.world.file_advice, **WORK_COSTS}

    def file_systems(self) -> list[Resource]:
        return [self._file_system(volume) for volume in self.world.volumes_of(self.name)]

    def _file_system(self, volume: Volume) -> Resource:
        path = f"{self.storage}/FileSystems/{volume.id}"
        consumed = space.allocated_bytes(self.world, volume, self.clock())
        return resource(
            path,
            "FileSystem.v1_4_1.FileSystem",
            volume.name,
            Description=volume.description,
            BlockSizeBytes=4096,
            Capacity={"Data": {"AllocatedBytes": volume.size_bytes, "ConsumedBytes": consumed}},
            CapacitySources=[{"ProvidingPools": [self._pool_link(volume)]}],
            Identifiers=[{"DurableNameFormat": "UUID", "DurableName": volume.serial}],
            ExportedShares=link(f"{path}/ExportedFileShares"),
            Oem={
                "Kestrel": {
                    "Controller": volume.controller,
                    "Thin": volume.thin,
                    "Compressed": volume.compressed,
                    "Deduplicated": volume.deduplicated,
                    "ReducedBytes": space.reduced_bytes(self.world, volume, self.clock()),
                    "ReducedShare": round(volume.reduced_share, 4),
                }
            },
        )

    def change_file_system(self, call: Call) -> Reply:
        """Give a file system another size, or begin to reduce its data."""
        volume, oem = self._volume(call.parts["id"]), call.body.get("Oem", {}).get("Kestrel", {})
        if "Capacity" in call.body:
            size = int(call.body["Capacity"]["Data"]["AllocatedBytes"])
            file_actions.resize(self.world, volume, size, self.clock())
        if {"Compressed", "Deduplicated"} & oem.keys():
            return self.accepted(space_actions.reduce(self.world, self.name, volume.serial, oem, self.clock()))
        return Reply(200, self._file_system(volume))

    def sample_blocks(self, call: Call) -> Reply:
        """Fingerprints of a part of a file system's blocks."""
        serial = self._volume(call.parts["id"]).serial
        return Reply(200, space_actions.sampled(self.world, serial, call.body, self.clock()))

    def _volume(self, identity: str) -> Volume:
        walk(self.file_systems(), identity)
        return next(volume for volume in self.world.volumes if volume.id == identity)

    def create_file_system(self, call: Call) -> Reply:
        pool = self._pool_meant(call)
        if pool not in {each.name for each in self.world.pools_of(self.name)}:
            raise ActionError(400, "PropertyValueNotInList", f"There is no pool {pool}.")
        size = call.body["Capacity"]["Data"]["AllocatedBytes"]
        controller = call.body["Oem"]["Kestrel"]["Controller"]
        if controller not in {portal.controller for portal in self.world.portals_of(self.name)}:
            raise ActionError(400, "PropertyValueNotInList", f"There is no controller {controller}.")
        body = {**call.body, "pool": pool, "CapacityBytes": size, "controller": controller}
        made = self._file_system(actions.create_volume(self.world, body, self.clock()))
        return Reply(201, made, {"Location": made["@odata.id"]})

    def delete_file_system(self, call: Call) -> Reply:
        actions.delete_volume(self.world, self._volume(call.parts["id"]))
        return Reply(204)

    def shares(self, call: Call) -> list[Resource]:
        volume = self._volume(call.parts["fs"])
        return [self._share(export) for export in self.world.exports if export.volume == volume.id]

    def _share(self, export: Export) -> Resource:
        quota = export.quota_bytes
        return resource(
            f"{self.storage}/FileSystems/{export.volume}/ExportedFileShares/{export.id}",
            "FileShare.v1_3_1.FileShare",
            export.name,
            FileSharePath=export.path,
            FileSharingProtocols=export.versions,
            RootAccess=export.root,
            Status=OK,
            **({"FileShareQuotaType": "Hard", "FileShareTotalQuotaBytes": quota} if quota else {}),
            Oem={"Kestrel": {"Clients": [{"Network": n, "Access": access} for n, access in export.clients]}},
        )

    def _export(self, call: Call) -> Export:
        walk(self.shares(call), call.parts["id"])
        return next(export for export in self.world.exports if export.id == call.parts["id"])

    def export(self, call: Call) -> Reply:
        volume, body = self._volume(call.parts["fs"]), call.body
        fields = {
            "versions": body["FileSharingProtocols"],
            "clients": _clients(body),
            "root": body.get("RootAccess", False),
        }
        made = file_actions.export_volume(self.world, volume, str(body["Name"]), str(body["FileSharePath"]), fields)
        share = self._share(made)
        return Reply(201, share, {"Location": share["@odata.id"]})

    def change_export(self, call: Call) -> Reply:
        """Give an export other clients, or another quota."""
        export = self._export(call)
        if "FileShareTotalQuotaBytes" in call.body:
            quota = int(call.body["FileShareTotalQuotaBytes"] or 0)
            file_actions.set_quota(self.world, export, quota, self.clock())
        if "Oem" in call.body:
            file_actions.set_clients(export, _clients(call.body))
        return Reply(200, self._share(export))

    def withdraw(self, call: Call) -> Reply:
        file_actions.withdraw(self.world, self._export(call))
        return Reply(204)


def _clients(body: Resource) -> list[list[str]]:
    return [[str(rule["Network"]), str(rule["Access"])] for rule in body["Oem"]["Kestrel"]["Clients"]]
