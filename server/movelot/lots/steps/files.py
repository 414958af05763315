"""Steps on file storage: file systems and exports of an array, mounts and client settings of a host."""

from __future__ import annotations

from movelot.devices import array, files, host
from movelot.devices.errors import DeviceGone
from movelot.lots.steps.base import Progress, StepKind, StepRun, StepSpec, Values, demand
from movelot.lots.steps.deleting import DeleteNamed
from movelot_core.units import format_size

EXPORT_PARTS = ("path", "versions", "clients", "root")


class CreateFileSystem(StepKind):
    """Params: name, size_bytes, pool_uri, controller. Result: uri, serial."""

    name = "create_file_system"
    proof = "the array lists the file system with this size on this controller"

    def begin(self, run: StepRun) -> Progress:
        base = array.storage_uri(run.session)
        found = files.find_file_system(run.session, base, run.params["name"])
        if found:
            row, description = found
            demand(
                description == run.key,
                "name_taken",
                f"A file system named {run.params['name']} exists already and is not ours.",
                hint="Choose another name.",
            )
        else:
            row = files.create_file_system(run.session, base, {**run.params, "key": run.key})
        return Progress(True, {"uri": row["uri"], "serial": row["serial"]})

    def verify(self, run: StepRun) -> None:
        row = files.file_system_row(run.session.get(run.result["uri"]))
        demand(
            (row["size_bytes"], row["controller"]) == (run.params["size_bytes"], run.params["controller"]),
            "file_system_differs",
            f"The file system is {format_size(row['size_bytes'])} on controller {row['controller']}.",
            "The file system stays.",
        )

    def undo(self, params: Values, result: Values) -> StepSpec:
        return StepSpec(
            DeleteFileSystem.name,
            "",
            f"Delete file system {params['name']}",
            "only if it is exported to nobody",
            {"uri": result["uri"], "name": params["name"]},
        )


class DeleteFileSystem(DeleteNamed):
    """Params: uri, name. The array refuses while it is exported."""

    name = "delete_file_system"
    proof = "the array no longer lists the file system"
    noun = "file system"

    def is_there(self, run: StepRun) -> bool:
        return files.find_file_system(run.session, array.storage_uri(run.session), run.params["name"]) is not None


class ExportFileSystem(StepKind):
    """Params: volume_uri, export (name, path, versions, clients, root). Result: uri."""

    name = "export_file_system"
    proof = "the export has this path and client list, root stays root"

    def begin(self, run: StepRun) -> Progress:
        made = files.create_export(run.session, run.params["volume_uri"], run.params["export"])
        return Progress(True, {"uri": made["uri"]})

    def verify(self, run: StepRun) -> None:
        found, wanted = files.export_now(run.session, run.result["uri"]), run.params["export"]
        differ = [part for part in EXPORT_PARTS if found[part] != wanted[part]]
        demand(not differ, "export_differs", f"The export has another {', '.join(differ)}.", "The export stays.")

    def undo(self, params: Values, result: Values) -> StepSpec:
        title = f"Withdraw export {params['export']['path']}"
        return StepSpec(WithdrawExport.name, "", title, "only if no host mounts it", {**params, "uri": result["uri"]})


class WithdrawExport(StepKind):
    """Params: uri, volume_uri, export. The array refuses while a host mounts it."""

    name = "withdraw_export"
    proof = "the array no longer lists the export"

    def begin(self, run: StepRun) -> Progress:
        try:
            run.session.delete(run.params["uri"])
        except DeviceGone:
            return Progress(True)
        return Progress(True)

    def verify(self, run: StepRun) -> None:
        try:
            run.session.get(run.params["uri"])
        except DeviceGone:
            return
        demand(False, "still_exported", f"{run.params['export']['path']} is still exported.")

    def undo(self, params: Values, result: Values) -> StepSpec:
        again = {name: params[name] for name in ("volume_uri", "export")}
        return StepSpec(ExportFileSystem.name, "", f"Export {params['export']['path']} again", "", again)


class SetClients(StepKind):
    """Params: uri, path, and wanted and before, each the whole client list of an export."""

    name = "set_clients"
    proof = "the export lists these clients and no others"

    def begin(self, run: StepRun) -> Progress:
        found, wanted = files.export_now(run.session, run.params["uri"]), run.params["wanted"]
        demand(
            found["clients"] in (wanted, run.params["before"]),
            "clients_changed",
            f"The client list of {run.params['path']} was changed meanwhile.",
            hint="Draft the lot again from a fresh reading.",
        )
        if found["clients"] != wanted:
            run.session.patch(run.params["uri"], files.clients_body(wanted), found["etag"])
        return Progress(True)

    def verify(self, run: StepRun) -> None:
        found = files.export_now(run.session, run.params["uri"])
        demand(
            found["clients"] == run.params["wanted"], "clients_differ", f"The client list has {len(found['clients'])}."
        )

    def undo(self, params: Values, result: Values) -> StepSpec:
        back = {**params, "wanted": params["before"], "before": params["wanted"]}
        return StepSpec(self.name, "", f"Give {params['path']} its former client list back", "", back)


class MountExport(StepKind):
    """Params: server, path, version, name, serial of the file system. Result: identity."""

    name = "mount_export"
    proof = "the host lists the datastore, spelled in this very way"

    def begin(self, run: StepRun) -> Progress:
        made = files.mount_export(run.session, *(run.params[p] for p in ("server", "path", "version", "name")))
        return Progress(True, {"identity": made["identity"]})

    def verify(self, run: StepRun) -> None:
        found = files.find_mount(run.session, run.params["server"], run.params["path"])
        demand(found is not None, "not_mounted", f"{run.session.name} does not list the datastore.")
        demand(
            (found or {})["serial"] == run.params["serial"],
            "other_file_system",
            f"Behind this path {run.session.name} finds another file system.",
            "It stays mounted.",
        )

    def undo(self, params: Values, result: Values) -> StepSpec:
        return StepSpec(UnmountExport.name, "", f"Unmount {params['name']}", "", params)


class UnmountExport(StepKind):
    """Params: as MountExport. The host refuses while one of its machines uses the datastore."""

    name = "unmount_export"
    proof = "the host no longer lists the datastore"

    def begin(self, run: StepRun) -> Progress:
        found = files.find_mount(run.session, run.params["server"], run.params["path"])
        if found is not None:
            host.act(run.session, "UnmountExport", Identity=found["identity"])
        return Progress(True)

    def verify(self, run: StepRun) -> None:
        found = files.find_mount(run.session, run.params["server"], run.params["path"])
        demand(found is None, "still_mounted", f"{run.session.name} still mounts it.")

    def undo(self, params: Values, result: Values) -> StepSpec:
        return StepSpec(MountExport.name, "", f"Mount {params['name']} again", "", params)


class SetFileClient(StepKind):
    """Params: wanted and before, each timeouts and limits of the host's NFS client by name."""

    name = "set_file_client"
    proof = "the host shows these values"

    def begin(self, run: StepRun) -> Progress:
        now, wanted, before = files.client_settings(run.session), run.params["wanted"], run.params["before"]
        other = [name for name in wanted if now.get(name) not in (wanted[name], before[name])]
        demand(
            not other,
            "settings_changed",
            f"{run.session.name} was given another {', '.join(other)} meanwhile.",
            hint="Draft the lot again from a fresh reading.",
        )
        if any(now[name] != value for name, value in wanted.items()):
            host.act(run.session, "SetFileClient", Settings=wanted)
        return Progress(True)

    def verify(self, run: StepRun) -> None:
        now = files.client_settings(run.session)
        differ = [name for name, value in run.params["wanted"].items() if now.get(name) != value]
        demand(not differ, "settings_differ", f"{run.session.name} has another {', '.join(differ)}.")

    def undo(self, params: Values, result: Values) -> StepSpec:
        back = {"wanted": params["before"], "before": params["wanted"]}
        return StepSpec(self.name, "", "Give the NFS client its former timeouts and limits back", "", back)
