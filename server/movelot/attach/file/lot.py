"""Lots that attach file storage: a file system made and exported on an array, mounted alike on every host of a cluster.

The person chooses a server interface of the array; its name is spelled the same on every host, since hosts know an
export by how server and path are spelled.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, Literal

from movelot.attach.checks import form_checks, rival_checks
from movelot.attach.file.limits import LimitRow, limit_rows, limit_steps
from movelot.attach.form import AttachForm, ReadForm, read
from movelot.attach.pools.fits import PlannedVolume, PoolRow, figures_of, fits_of, pool_row
from movelot.attach.volume_lots import OnePoolKind, VolumePlan, pool_chosen
from movelot.inventory.clusters import cluster_named, hosts_of
from movelot.inventory.models import Cluster, Datastore, Device, HostPort, Mount, Pool, Portal, Volume
from movelot.inventory.paths import portals_of, ports_of
from movelot.inventory.sentences import OBSTACLES, cause_text
from movelot.lots.documents import LotForm, names
from movelot.lots.fields import FieldProblem
from movelot.lots.kinds import PASS, STOP, WARN, Check, Draft, MeasuredRow
from movelot.lots.models import Lot
from movelot.lots.step_plan import StepPlan
from movelot.lots.steps.base import StepSpec
from movelot.lots.steps.file_systems import CreateFileSystem, ExportFileSystem, ExportRules, MountExport
from movelot_core.fabric.paths import NFS, blocking_cause, network_of
from movelot_core.fabric.paths import HostPort as Port
from movelot_core.fabric.paths import Portal as Server
from movelot_core.nfs import Export, Obstacle, obstacle
from movelot_core.units import count_of, format_size

VERSIONS = {"NFSv4_1": "NFS 4.1", "NFSv3": "NFS 3"}


@dataclass(frozen=True)
class FileForm(LotForm):
    """The form as typed. ``clients``: hosts lets in each host's address, subnet the whole subnet of the server."""

    cluster: str = names("cluster")
    name: str = ""
    size: str = ""
    pool: int | None = names("pool", None)
    server: str = ""
    version: Literal["NFSv4_1", "NFSv3"] = "NFSv4_1"
    clients: Literal["hosts", "subnet"] = "hosts"
    limits: bool = True


@dataclass
class ServerRow:
    """A server interface: its name and address, whose controller it is, how many hosts reach it and mount over it."""

    id: int
    name: str
    address: str
    controller: str
    subnet: str
    reached: int
    mounts: int


@dataclass
class FileHost:
    """A host: the interface it would use, and what keeps it from mounting (empty where nothing does)."""

    name: str
    port: str
    address: str
    obstacle: str


@dataclass
class FilePlan(VolumePlan):
    """What the page shows while the form is typed."""

    cluster: str
    array: str
    size_bytes: int | None
    path: str
    server: str
    version: str
    clients: list[list[str]]
    problems: list[FieldProblem]
    pools: list[PoolRow]
    pool: str
    pool_id: int | None
    servers: list[ServerRow]
    hosts: list[FileHost]
    limits: list[LimitRow]
    volumes: list[PlannedVolume]


@dataclass(frozen=True)
class Place:
    """Where the export would be: pool, server interface, and for each host its interface and what keeps it away."""

    pool: Pool
    server: Portal
    ways: list[tuple[Device, Port | None, str]]


class AttachFileKind(OnePoolKind[FileForm, FilePlan]):
    """A file system, exported, and mounted alike on every host."""

    name, form, plan = "attach_file", FileForm, FilePlan

    def drafted(self, form: FileForm, lot: Lot) -> Draft[FileForm, FilePlan]:
        typed = form
        meant = read(AttachForm(typed.cluster, typed.name, typed.size))
        cluster = cluster_named(typed.cluster)
        hosts = hosts_of(cluster)
        figures = figures_of(cluster, lot, (NFS,))
        fits = fits_of(cluster, meant, figures)
        pool = pool_chosen(typed.pool, fits)
        title = (
            f"Attach {meant.names[0] if meant.names else 'file storage'} to {cluster.name if cluster else 'a cluster'}"
        )
        if pool is None or not hosts:
            return Draft(title, StepPlan(), _empty(cluster, meant), form_checks(meant, fits, []))
        servers = _servers(pool.device, hosts)
        place = _place(typed, pool, servers, hosts)
        plan = FilePlan(
            cluster=cluster.name if cluster else "",
            array=pool.device.name,
            size_bytes=meant.size_bytes,
            path=f"/exports/{meant.names[0]}" if meant.names else "",
            server=place.server.host_name if place else "",
            version=typed.version,
            clients=_clients(typed.clients, place) if place else [],
            problems=meant.problems,
            pools=[pool_row(row, fit, figures) for row, fit in fits],
            pool=pool.name,
            pool_id=pool.pk,
            servers=[row for row, _ in servers],
            hosts=[_host_row(*way) for way in place.ways] if place else [],
            limits=limit_rows(hosts),
            volumes=[],
        )
        if meant.complete and meant.names:
            plan.volumes = [PlannedVolume(meant.names[0], meant.size_bytes or 0, pool.pk, pool.name)]
        checks = [*form_checks(meant, fits, [pool]), *_checks(plan), *rival_checks(lot, [pool], plan.volumes)]
        steps = _steps(plan, place, hosts, typed.limits) if plan.volumes and place else StepPlan()
        return Draft(title, steps, plan, checks, _facts(plan, pool))

    def outcome(self, lot: Lot, plan: FilePlan) -> list[MeasuredRow]:
        """Hosts that mount it, identities it has there, and its size, beside what was expected."""
        (volume,) = plan.volumes
        made = Volume.objects.filter(name=volume.name, pool=volume.pool_id).first()
        stores = Datastore.objects.filter(extents__serial=made.serial) if made else Datastore.objects.none()
        mounts = Mount.objects.filter(datastore__in=stores).count()
        figures = [
            ("hosts that mount it", len(plan.hosts), mounts),
            ("identities", 1, stores.count()),
            ("capacity in bytes", volume.size_bytes, made.size_bytes if made else 0),
        ]
        return [MeasuredRow("datastore", volume.name, figure, 0, wanted, now) for figure, wanted, now in figures]


def _empty(cluster: Cluster | None, meant: ReadForm) -> FilePlan:
    name = cluster.name if cluster else ""
    return FilePlan(name, "", meant.size_bytes, "", "", "", [], meant.problems, [], "", None, [], [], [], [])


def _servers(array: Device, hosts: list[Device]) -> list[tuple[ServerRow, Server]]:
    """Server interfaces of the array: most hosts reach it first, then fewest mounts."""
    ports = ports_of(hosts)
    rows = {row.name: row for row in Portal.objects.filter(device=array, protocol=NFS)}
    mounted: dict[str, int] = {}
    for name in Mount.objects.filter(datastore__extents__serial__in=array.volumes.values("serial")).values_list(
        "server", flat=True
    ):
        mounted[name] = mounted.get(name, 0) + 1
    found = []
    for server in portals_of(array):
        if server.name not in rows:
            continue
        row = rows[server.name]
        reached = len({port.host for port in ports if _reaches(port, server)})
        address = server.address.split("/")[0]
        mounts = mounted.get(row.host_name, 0) + mounted.get(address, 0)
        subnet = network_of(server.address)
        found.append(
            (ServerRow(row.pk, row.host_name or address, address, row.controller, subnet, reached, mounts), server)
        )
    return sorted(found, key=lambda pair: (-pair[0].reached, pair[0].mounts, pair[0].name))


def _reaches(port: Port, server: Server) -> bool:
    same = port.protocol == server.protocol and network_of(port.address) == network_of(server.address)
    return same and blocking_cause(port, server) is None


def _place(typed: FileForm, pool: Pool, servers: list[tuple[ServerRow, Server]], hosts: list[Device]) -> Place | None:
    """The server interface asked for, or the first, and each host's way to it."""
    if not servers:
        return None
    row, server = next((pair for pair in servers if pair[0].name == typed.server), servers[0])
    ports = ports_of(hosts)
    portal = Portal.objects.get(pk=row.id)
    addresses = {host.name: _port_to(server, [port for port in ports if port.host == host.name]) for host in hosts}
    mounts = {host.pk: host.mounts.exclude(server="").count() for host in hosts}
    export = Export("", _rules(typed.clients, server, addresses), tuple(VERSIONS), True)
    ways = []
    for host in hosts:
        port, why = addresses[host.name]
        found = obstacle(
            export, port.address if port else None, typed.version, mounts[host.pk], host.file_client.get("mounts_max")
        )
        text = why if found is Obstacle.NO_WAY and why else OBSTACLES[found] if found else ""
        ways.append((host, port, text))
    return Place(pool, portal, ways)


def _port_to(server: Server, ports: list[Port]) -> tuple[Port | None, str]:
    """The interface of a host that reaches the server; else why the one in its subnet does not."""
    alike = [p for p in ports if p.protocol == server.protocol and network_of(p.address) == network_of(server.address)]
    well = next((port for port in alike if blocking_cause(port, server) is None), None)
    if well:
        return well, ""
    causes = [(cause, port.name) for port in alike if (cause := blocking_cause(port, server))]
    return None, cause_text(*causes[0]) if causes else ""


def _rules(clients: str, server: Server, ports: dict[str, tuple[Port | None, str]]) -> tuple[tuple[str, str], ...]:
    if clients == "subnet":
        return ((network_of(server.address), "ReadWrite"),)
    return tuple((f"{port.initiator}/32", "ReadWrite") for port, _ in ports.values() if port)


def _clients(clients: str, place: Place) -> list[list[str]]:
    if clients == "subnet":
        return [[network_of(place.server.network), "ReadWrite"]]
    return [[f"{port.initiator}/32", "ReadWrite"] for _, port, _ in place.ways if port]


def _host_row(host: Device, port: Port | None, text: str) -> FileHost:
    return FileHost(host.name, port.name if port else "", port.initiator if port else "", text)


def _checks(plan: FilePlan) -> list[Check]:
    if not plan.server:
        return [Check("a server is there", STOP, f"{plan.array} has no server interface for NFS.")]
    checks = [
        Check("every host can mount it", STOP, f"{host.name}: {host.obstacle}.") for host in plan.hosts if host.obstacle
    ]
    if not checks:
        text = f"every host reaches {plan.server} and may write as root"
        checks.append(Check("every host can mount it", PASS, text))
    checks.append(Check("one spelling", PASS, f"{plan.server}:{plan.path or '/exports/…'} on every host"))
    standby = HostPort.objects.filter(protocol=NFS, device__name__in=[host.name for host in plan.hosts])
    alone = sorted({port.device.name for port in standby.select_related("device") if _one_uplink(port)})
    if alone:
        text = f"{', '.join(alone)} reach it over a single uplink."
        checks.append(Check("an uplink in reserve", WARN, text))
    return checks


def _one_uplink(port: HostPort) -> bool:
    return len(port.active_uplinks) + len(port.standby_uplinks) < 2


def _facts(plan: FilePlan, pool: Pool) -> dict[str, str]:
    return {
        f"space promised by {pool.name}": format_size(pool.subscribed_bytes),
        "hosts of the cluster": ", ".join(host.name for host in plan.hosts),
        "addresses of the hosts": ", ".join(host.address or "none" for host in plan.hosts),
        "NFS settings that differ": str(len(plan.limits)),
    }


def _steps(plan: FilePlan, place: Place, hosts: list[Device], limits: bool) -> StepPlan:
    """Settings first, then file system and export, then the mounts side by side."""
    (volume,) = plan.volumes
    steps = StepPlan()
    settings = limit_steps(hosts) if limits else {}
    ready = dict(zip(settings, steps.add_all(settings.values()), strict=True))
    create = CreateFileSystem(
        name=volume.name,
        size_bytes=volume.size_bytes,
        pool_uri=place.pool.uri,
        controller=place.server.controller,
    )
    title = f"Create file system {volume.name}, {format_size(volume.size_bytes)}"
    made = steps.add(create.on(plan.array, title, f"pool {volume.pool}, controller {place.server.controller}"))
    rules = ExportRules(name=volume.name, path=plan.path, versions=list(VERSIONS), clients=plan.clients, root=True)
    export = ExportFileSystem(volume_uri=made.result.uri, export=rules)
    exported = steps.add(export.on(plan.array, f"Export it as {plan.path}", _export_detail(plan.clients)), made)
    mount = MountExport(
        server=plan.server, path=plan.path, version=plan.version, name=volume.name, serial=made.result.serial
    )
    for host in hosts:
        steps.add(mount_step(host.name, mount), [exported, *([ready[host.name]] if host.name in ready else [])])
    return steps


def _export_detail(clients: list[list[str]]) -> str:
    """Whom the export lets in."""
    if not clients:
        return "to nobody"
    one_by_one = "/32" in clients[0][0]
    noun, many = ("address", "addresses") if one_by_one else ("network", "networks")
    return f"to {count_of(len(clients), noun, many)}, root stays root"


def mount_step(host: str, mount: MountExport) -> StepSpec[Any]:
    """The step that mounts an export on a host."""
    version = VERSIONS.get(mount.version, mount.version)
    return mount.on(host, f"Mount {mount.name} on {host}", f"{mount.server}:{mount.path} over {version}")
