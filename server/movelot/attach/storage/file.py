"""A file system: exported by its array, mounted by hosts under the spelling that most of them use."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from movelot.attach.file.lot import mount_step
from movelot.attach.storage.base import Leaving, Showing, StorageKind
from movelot.inventory.clusters import cluster_named
from movelot.inventory.exports import export_of, mounts_of
from movelot.inventory.models import Device, Volume
from movelot.inventory.models import Export as ExportRow
from movelot.inventory.paths import portals_of, ports_of
from movelot.inventory.sentences import OBSTACLES
from movelot.lots.kinds import PASS, STOP, Check
from movelot.lots.step_plan import AnyHandle, StepPlan
from movelot.lots.steps.base import StepSpec
from movelot.lots.steps.file_systems import (
    DeleteFileSystem,
    ExportRules,
    MountExport,
    SetClients,
    UnmountExport,
    WithdrawExport,
)
from movelot_core.fabric.paths import NFS, blocking_cause, network_of
from movelot_core.nfs import Obstacle, obstacle, usual_spelling
from movelot_core.units import count_of, format_size


class FileSystem(StorageKind):
    """Hosts are let in by the address of their interface."""

    name = Volume.Kind.FILE
    noun = "file system"
    has_word = "mount"
    is_device = False

    def show(self, volume: Volume, cluster: str) -> Showing:
        """Mount a file system, spelled as most hosts spell it, on the hosts that do not mount it; let them in first.

        One that nobody mounts goes to all hosts of ``cluster``, under the server name of its controller.
        """
        export = volume.exports.order_by("pk").first()
        if export is None:
            return Showing([Check("is exported", STOP, f"{volume.name} is exported to nobody.")])
        mounts = mounts_of([volume]).get(volume.serial, [])
        hosts = _hosts_for({mount.host for mount in mounts}, cluster)
        blind = [host for host in hosts if host.name not in {mount.host for mount in mounts}]
        if not blind:
            return Showing([Check("something to do", STOP, f"Every host mounts {volume.name} already.")])
        spelled = usual_spelling(mounts) or _spelling(volume, export)
        version = mounts[0].version if mounts else export.versions[-1]
        name = mounts[0].datastore if mounts else volume.name
        addresses, checks = _reachable(volume, export, blind, version)
        steps = StepPlan()
        let_in = steps.add_all(_let_in(volume, export, list(addresses.values())))
        mount = MountExport(server=spelled[0], path=spelled[1], version=version, name=name, serial=volume.serial)
        steps.add_all((mount_step(host, mount) for host in addresses), let_in)
        clients = ", ".join(network for network, _ in export.clients)
        facts = {f"client list of {export.path}": clients, "hosts that mount it": str(len(mounts))}
        return Showing(checks, steps, [host.name for host in hosts], len(mounts), facts)

    def take_away(self, plan: StepPlan, leaving: Leaving, after: Sequence[AnyHandle] = ()) -> list[AnyHandle]:
        """Unmount side by side, withdraw the exports once all have, then delete."""
        volume, array = leaving.volume, leaving.volume.device.name
        unmounts = [
            UnmountExport(
                server=mount.server, path=mount.path, version=mount.version, name=mount.datastore, serial=volume.serial
            ).on(mount.host, f"Unmount {mount.datastore} from {mount.host}", f"{mount.server}:{mount.path}")
            for mount in mounts_of([volume]).get(volume.serial, [])
        ]
        unmounted = plan.barrier([*after, *plan.add_all(unmounts, after)])
        withdrawals = []
        for export in volume.exports.order_by("pk"):
            rules = ExportRules(**{part: getattr(export, part) for part in ExportRules.model_fields})
            withdraw = WithdrawExport(uri=export.uri, volume_uri=volume.uri, export=rules)
            detail = f"from {count_of(len(export.clients), 'entry', 'entries')} of its client list"
            withdrawals.append(withdraw.on(array, f"Withdraw export {export.path}", detail))
        gone = plan.barrier([*unmounted, *plan.add_all(withdrawals, unmounted)])
        if not leaving.keep:
            detail = f"{format_size(volume.allocated_bytes)} back to pool {volume.pool.name}; cannot be undone"
            delete = DeleteFileSystem(uri=volume.uri, name=volume.name)
            gone = [plan.add(delete.on(array, f"Delete file system {volume.name}", detail), gone)]
        return gone


def _hosts_for(mounting: set[str], cluster: str) -> list[Device]:
    hosts = Device.objects.filter(kind=Device.Kind.HOST).order_by("name")
    if mounting:
        return list(hosts.filter(cluster__in=Device.objects.filter(name__in=mounting).values("cluster")))
    chosen = cluster_named(cluster)
    return list(hosts.filter(cluster=chosen)) if chosen else []


def _spelling(volume: Volume, export: ExportRow) -> tuple[str, str]:
    server = volume.device.portals.filter(protocol=NFS, controller=volume.controller).order_by("name").first()
    return (server.host_name or server.network.split("/")[0] if server else "", export.path)


def _reachable(
    volume: Volume, export: ExportRow, hosts: list[Device], version: str
) -> tuple[dict[str, str], list[Check]]:
    """The address with which each host reaches the file system's server; a check that stops for each that does not."""
    servers = [each for each in portals_of(volume.device) if each.controller == volume.controller]
    ports = ports_of(hosts)
    addresses: dict[str, str] = {}
    checks: list[Check] = []
    for host in hosts:
        own = [port for port in ports if port.host == host.name]
        pairs = [(p, q) for p in own for q in servers if network_of(p.address) == network_of(q.address)]
        port = next((p for p, q in pairs if p.protocol == NFS and blocking_cause(p, q) is None), None)
        limit = host.file_client.get("mounts_max")
        held = host.mounts.exclude(server="").count()
        found = obstacle(export_of(export), port.address if port else None, version, held, limit)
        if port and found in (None, Obstacle.NOT_LISTED):
            addresses[host.name] = port.initiator
        elif found:
            checks.append(Check("every host can mount it", STOP, f"{host.name}: {OBSTACLES[found]}."))
    if addresses and not checks:
        checks.append(Check("every host can mount it", PASS, f"{', '.join(addresses)} reach its server"))
    return addresses, checks


def _let_in(volume: Volume, export: ExportRow, addresses: list[str]) -> list[StepSpec[Any]]:
    """The step that adds addresses to the client list, where a rule does not hold them yet."""
    rules = export_of(export)
    missing = [a for a in addresses if obstacle(rules, a, rules.versions[0]) is Obstacle.NOT_LISTED]
    if not missing:
        return []
    wanted = [*export.clients, *([f"{address}/32", "ReadWrite"] for address in missing)]
    let_in = SetClients(uri=export.uri, path=export.path, wanted=wanted, before=export.clients)
    return [let_in.on(volume.device.name, f"Let {', '.join(missing)} mount {export.path}", "read and write")]
