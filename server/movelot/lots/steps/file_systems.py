"""Steps on file storage: file systems and exports of an array, mounts and client settings of a host."""

from __future__ import annotations

from typing import Any

from movelot.devices import array, file_systems, host
from movelot.devices.errors import DeviceGone
from movelot.inventory.models import Device
from movelot.lots.steps.base import Progress, StepKind, StepRun, StepSpec, demand
from movelot.lots.steps.deleting import DeleteNamed
from movelot.lots.steps.swapping import Swap
from movelot.lots.steps.touches import Touched, datastore_name, volume
from movelot.lots.steps.values import Document, Later, Nothing, Result
from movelot_core.units import format_size

# [network, access] of each entry of an export's client list.
Clients = list[list[str]]


class MadeFileSystem(Result):
    uri: str
    serial: str


class CreateFileSystem(StepKind[MadeFileSystem]):
    """Make a file system in a pool, on a controller."""

    kind = "create_file_system"
    proof = "the array lists the file system with this size on this controller"

    name: str
    size_bytes: int
    pool_uri: str
    controller: str

    def begin(self, run: StepRun[MadeFileSystem]) -> Progress[MadeFileSystem]:
        base = array.storage_uri(run.session)
        found = file_systems.find_file_system(run.session, base, self.name)
        if found:
            row, description = found
            demand(
                description == run.key,
                "name_taken",
                f"A file system named {self.name} exists already and is not ours.",
                hint="Choose another name.",
            )
        else:
            row = file_systems.create_file_system(run.session, base, {**dict(self), "key": run.key})
        return Progress(True, MadeFileSystem(uri=row["uri"], serial=row["serial"]))

    def verify(self, run: StepRun[MadeFileSystem], result: MadeFileSystem) -> None:
        row = file_systems.file_system_row(run.session.get(result.uri))
        demand(
            (row["size_bytes"], row["controller"]) == (self.size_bytes, self.controller),
            "file_system_differs",
            f"The file system is {format_size(row['size_bytes'])} on controller {row['controller']}.",
            "The file system stays.",
        )

    def undo(self, result: MadeFileSystem) -> StepSpec[Any]:
        delete = DeleteFileSystem(uri=result.uri, name=self.name)
        return delete.on("", f"Delete file system {self.name}", "only if it is exported to nobody")


class DeleteFileSystem(DeleteNamed):
    """The array refuses while it is exported."""

    kind = "delete_file_system"
    proof = "the array no longer lists the file system"
    noun = "file system"

    def is_there(self, run: StepRun[Nothing]) -> bool:
        return file_systems.find_file_system(run.session, array.storage_uri(run.session), self.name) is not None


class ExportRules(Document):
    """Name and path of an export, the NFS versions it speaks, whom it lets in, and whether root stays root."""

    name: str
    path: str
    versions: list[str]
    clients: Clients
    root: bool


class MadeExport(Result):
    uri: str


class ExportFileSystem(StepKind[MadeExport]):
    """Export a file system."""

    kind = "export_file_system"
    proof = "the export has this path and client list, root stays root"

    volume_uri: Later[str]
    export: ExportRules

    def begin(self, run: StepRun[MadeExport]) -> Progress[MadeExport]:
        wanted = self.export.model_dump()
        there = file_systems.exports_of(run.session, run.session.get(self.volume_uri))
        same = next((each for each in there if all(each[part] == value for part, value in wanted.items())), None)
        made = same or file_systems.create_export(run.session, self.volume_uri, wanted)
        return Progress(True, MadeExport(uri=made["uri"]))

    def verify(self, run: StepRun[MadeExport], result: MadeExport) -> None:
        found, wanted = file_systems.export_now(run.session, result.uri), self.export.model_dump(exclude={"name"})
        differ = [part for part, value in wanted.items() if found[part] != value]
        demand(not differ, "export_differs", f"The export has another {', '.join(differ)}.", "The export stays.")

    def undo(self, result: MadeExport) -> StepSpec[Any]:
        withdraw = WithdrawExport(uri=result.uri, **dict(self))
        return withdraw.on("", f"Withdraw export {self.export.path}", "only if no host mounts it")


class WithdrawExport(StepKind[Nothing]):
    """Take back the export at ``uri``; the array refuses while a host mounts it."""

    kind = "withdraw_export"
    proof = "the array no longer lists the export"

    uri: str
    volume_uri: str
    export: ExportRules

    def begin(self, run: StepRun[Nothing]) -> Progress[Nothing]:
        try:
            current = run.session.get(self.uri)
        except DeviceGone:
            return Progress(True)
        run.session.delete(self.uri, str(current.get("@odata.etag", "")))
        return Progress(True)

    def verify(self, run: StepRun[Nothing], result: Nothing) -> None:
        try:
            run.session.get(self.uri)
        except DeviceGone:
            return
        demand(False, "still_exported", f"{self.export.path} is still exported.")

    def undo(self, result: Nothing) -> StepSpec[Any]:
        again = ExportFileSystem(volume_uri=self.volume_uri, export=self.export)
        return again.on("", f"Export {self.export.path} again")


class SetClients(Swap):
    """Give the export at ``uri`` another client list, whole."""

    kind = "set_clients"
    proof = "the export lists these clients and no others"

    uri: str
    path: str
    wanted: Clients
    before: Clients

    def begin(self, run: StepRun[Nothing]) -> Progress[Nothing]:
        found = file_systems.export_now(run.session, self.uri)
        message = f"The client list of {self.path} was changed meanwhile."
        self.demand_known(found["clients"] in (self.wanted, self.before), "clients_changed", message)
        if found["clients"] != self.wanted:
            run.session.patch(self.uri, file_systems.clients_body(self.wanted), found["etag"])
        return Progress(True)

    def verify(self, run: StepRun[Nothing], result: Nothing) -> None:
        found = file_systems.export_now(run.session, self.uri)
        demand(found["clients"] == self.wanted, "clients_differ", f"The client list has {len(found['clients'])}.")

    def undo(self, result: Nothing) -> StepSpec[Any]:
        return self.swapped().on("", f"Give {self.path} its former client list back")


class MountedExport(Result):
    identity: str


class MountExport(StepKind[MountedExport]):
    """Mount an export, spelled as server and path say; ``version`` is that of NFS, ``serial`` the file system's."""

    kind = "mount_export"
    proof = "the host lists the datastore, spelled in this very way"

    server: str
    path: str
    version: str
    name: str
    serial: Later[str]

    def touches(self, device: Device) -> list[Touched]:
        return [*volume(self.serial, self.name, alone=False), datastore_name(device, self.name)]

    def begin(self, run: StepRun[MountedExport]) -> Progress[MountedExport]:
        there = file_systems.find_mount(run.session, self.server, self.path)
        same = there if there is not None and there["mount"]["version"] == self.version else None
        made = same or file_systems.mount_export(run.session, self.server, self.path, self.version, self.name)
        return Progress(True, MountedExport(identity=made["identity"]))

    def verify(self, run: StepRun[MountedExport], result: MountedExport) -> None:
        found = file_systems.find_mount(run.session, self.server, self.path)
        demand(found is not None, "not_mounted", f"{run.session.name} does not list the datastore.")
        demand(
            self.serial in [extent["serial"] for extent in (found or {})["extents"]],
            "other_file_system",
            f"Behind this path {run.session.name} finds another file system.",
            "It stays mounted.",
        )

    def undo(self, result: MountedExport) -> StepSpec[Any]:
        return UnmountExport(**dict(self)).on("", f"Unmount {self.name}")


class UnmountExport(StepKind[Nothing]):
    """The host refuses while one of its machines uses the datastore; params as for mounting it."""

    kind = "unmount_export"
    proof = "the host no longer lists the datastore"

    server: str
    path: str
    version: str
    name: str
    serial: str

    def touches(self, device: Device) -> list[Touched]:
        return volume(self.serial, self.name)

    def begin(self, run: StepRun[Nothing]) -> Progress[Nothing]:
        found = file_systems.find_mount(run.session, self.server, self.path)
        if found is not None:
            host.act(run.session, "UnmountExport", Identity=found["identity"])
        return Progress(True)

    def verify(self, run: StepRun[Nothing], result: Nothing) -> None:
        found = file_systems.find_mount(run.session, self.server, self.path)
        demand(found is None, "still_mounted", f"{run.session.name} still mounts it.")

    def undo(self, result: Nothing) -> StepSpec[Any]:
        return MountExport(**dict(self)).on("", f"Mount {self.name} again")


class SetFileClient(Swap):
    """Give the host's NFS client other timeouts and limits, by name."""

    kind = "set_file_client"
    proof = "the host shows these values"

    wanted: dict[str, int]
    before: dict[str, int]

    def begin(self, run: StepRun[Nothing]) -> Progress[Nothing]:
        now = file_systems.client_settings(run.session)
        other = [name for name, value in self.wanted.items() if now.get(name) not in (value, self.before[name])]
        message = f"{run.session.name} was given another {', '.join(other)} meanwhile."
        self.demand_known(not other, "settings_changed", message)
        if any(now[name] != value for name, value in self.wanted.items()):
            host.act(run.session, "SetFileClient", Settings=self.wanted)
        return Progress(True)

    def verify(self, run: StepRun[Nothing], result: Nothing) -> None:
        now = file_systems.client_settings(run.session)
        differ = [name for name, value in self.wanted.items() if now.get(name) != value]
        demand(not differ, "settings_differ", f"{run.session.name} has another {', '.join(differ)}.")

    def undo(self, result: Nothing) -> StepSpec[Any]:
        return self.swapped().on("", "Give the NFS client its former timeouts and limits back")
