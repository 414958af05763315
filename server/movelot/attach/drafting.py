"""Attach lots: a block volume made on an array, offered to a cluster's hosts, formatted once and mounted everywhere."""

from __future__ import annotations

from dataclasses import asdict, dataclass, field, replace
from typing import Any

from movelot.attach.board import Board, board_of
from movelot.attach.steps import Wanted, attach_steps
from movelot.attach.uplinks import fixes_for
from movelot.inventory.estates import estate_of
from movelot.inventory.models import Cluster, Datastore, Device, HostDevice, Initiator, Offer, Pool, Volume
from movelot.inventory.paths import PathTable, expected_paths, expected_table
from movelot.inventory.sentences import fit_text
from movelot.lots.drafting import PASS, STOP, WARN, Check, Draft, DraftKind
from movelot.lots.models import Lot
from movelot.lots.steps.base import StepSpec, Values
from movelot_core.attach import PoolFigures, PoolFit, Verdict, rank_pools
from movelot_core.errors import CoreError
from movelot_core.units import check_name, format_share, format_size, parse_size


@dataclass
class FieldProblem:
    """What is wrong with a field of the form, and what to type."""

    field: str
    code: str
    message: str
    hint: str


@dataclass
class PoolRow:
    """A pool with its fit: fits, tight or refused."""

    id: int
    name: str
    array: str
    capacity_bytes: int
    allocated_bytes: int
    free_bytes: int
    subscription_after: float
    verdict: str
    text: str


@dataclass
class AttachPlan:
    """What the page shows while the form is typed."""

    cluster: str
    hosts: list[str]
    size_bytes: int | None
    pool: str
    problems: list[FieldProblem]
    pools: list[PoolRow]
    board: Board | None
    fixable: list[str]


@dataclass
class Form:
    """The form as typed. ``fixes`` names hosts whose uplinks are to be bound first."""

    cluster: str = ""
    name: str = ""
    size: str = ""
    pool: str = ""
    fixes: list[str] = field(default_factory=list)

    @classmethod
    def of(cls, given: Values) -> Form:
        fixes = given.get("fixes")
        texts = {name: str(given.get(name) or "")[:200] for name in ("cluster", "name", "size", "pool")}
        return cls(**texts, fixes=[str(host) for host in fixes] if isinstance(fixes, list) else [])


class AttachKind(DraftKind):
    """A block volume for a cluster."""

    name = "attach"

    def drafted(self, form: dict[str, Any], lot: Lot) -> Draft:
        typed = Form.of(form)
        cluster = Cluster.objects.filter(name=typed.cluster).first() or Cluster.objects.order_by("name").first()
        hosts = list(Device.objects.filter(cluster=cluster, kind=Device.Kind.HOST).order_by("name")) if cluster else []
        problems: list[FieldProblem] = []
        name = _read(problems, "name", typed.name, _free_name)
        size = _read(problems, "size", typed.size, parse_size)
        fits = _fits(cluster, size or 0)
        pool = _chosen(typed.pool, fits, size)
        plan = AttachPlan(
            cluster=cluster.name if cluster else "",
            hosts=[host.name for host in hosts],
            size_bytes=size,
            pool=pool.name if pool else "",
            problems=problems,
            pools=[_pool_row(row, fit) for row, fit in fits],
            board=None,
            fixable=[],
        )
        if pool is None or not hosts:
            return Draft(_title(name, plan.cluster), [], asdict(plan), _form_checks(problems, fits, size))
        fixes = {host: spec for host, spec in fixes_for(hosts).items() if host in typed.fixes}
        table = _table(hosts, pool, name or "the volume", fixes)
        plan.board = board_of(table)
        plan.fixable = [host for host in fixes_for(hosts) if host not in typed.fixes]
        checks = [*_form_checks(problems, fits, size, pool), *_path_checks(table), *_rival_checks(lot, pool, size or 0)]
        steps = attach_steps(Wanted(name, size, pool), hosts, table, list(fixes.values())) if name and size else []
        return Draft(_title(name, plan.cluster), steps, asdict(plan), checks, _facts(pool, hosts, name))

    def outcome(self, lot: Lot) -> dict[str, Any]:
        """Paths and mounts after the run, beside what was expected."""
        store = Datastore.objects.filter(name=Form.of(lot.form).name).first()
        hosts = len(lot.plan["hosts"])
        board = lot.plan.get("board") or {}
        seen = 0
        if store:
            seen = sum(len(device.paths) for device in HostDevice.objects.filter(serial=store.serial))
        rows = [
            {
                "figure": "hosts that mount it",
                "predicted": hosts,
                "measured": store.mounts.count() if store else 0,
                "before": 0,
            },
            {"figure": "paths", "predicted": board.get("seen"), "measured": seen, "before": 0},
            {
                "figure": "capacity in bytes",
                "predicted": lot.plan["size_bytes"],
                "measured": store.capacity_bytes if store else 0,
                "before": 0,
            },
        ]
        return {
            "rows": [
                {"subject_kind": "datastore", "subject": store.name if store else "", "note": "", **row} for row in rows
            ]
        }


def _read(problems: list[FieldProblem], name: str, text: str, parse: Any) -> Any:
    """``text`` parsed, or None with the reason noted; an empty field is no error yet."""
    if not text.strip():
        return None
    try:
        return parse(text)
    except CoreError as error:
        problems.append(FieldProblem(name, error.code, error.message, error.hint))
        return None


def _free_name(text: str) -> str:
    name = check_name(text)
    if Datastore.objects.filter(name=name).exists() or Volume.objects.filter(name=name).exists():
        raise CoreError("name_taken", f"A datastore or volume named {name} exists already.", "Choose another name.")
    return name


def _title(name: str | None, cluster: str) -> str:
    return f"Attach {name or 'a block volume'} to {cluster}" if cluster else "Attach a block volume"


def _fits(cluster: Cluster | None, size: int) -> list[tuple[Pool, PoolFit]]:
    """Every pool with its fit, best first."""
    group = getattr(cluster, "group", None)
    peaks: dict[str, float] = {}
    ceiling = 9.0
    if group:
        found, ceiling = estate_of(group), group.latency_ceiling_ms
        peaks = dict(zip(found.estate.pools, map(float, found.state.peak_ms), strict=True))
    pools = {pool.name: pool for pool in Pool.objects.select_related("device")}
    known = set(Initiator.objects.values_list("device_id", flat=True))
    figures = [
        PoolFigures(
            pool.name,
            pool.capacity_bytes,
            pool.allocated_bytes,
            pool.subscribed_bytes,
            peaks.get(pool.name),
            reaches_hosts=pool.device_id in known,
            online=pool.device.state == Device.State.LINKED,
        )
        for pool in pools.values()
    ]
    return [(pools[fit.pool], fit) for fit in rank_pools(figures, size, True, ceiling)]


def _pool_row(pool: Pool, fit: PoolFit) -> PoolRow:
    return PoolRow(
        pool.pk,
        pool.name,
        pool.device.name,
        pool.capacity_bytes,
        pool.allocated_bytes,
        max(0, pool.capacity_bytes - pool.allocated_bytes),
        fit.subscription_after,
        fit.verdict,
        fit_text(fit),
    )


def _chosen(wanted: str, fits: list[tuple[Pool, PoolFit]], size: int | None) -> Pool | None:
    """The pool asked for, or the best that is not refused."""
    named = next((pool for pool, _ in fits if pool.name == wanted), None)
    best = next((pool for pool, fit in fits if size is not None and fit.verdict != Verdict.REFUSED), None)
    return named or best or (fits[0][0] if fits else None)


def _form_checks(
    problems: list[FieldProblem], fits: list[tuple[Pool, PoolFit]], size: int | None, pool: Pool | None = None
) -> list[Check]:
    checks = [Check(f"{problem.field} is usable", STOP, f"{problem.message} {problem.hint}") for problem in problems]
    if not fits:
        checks.append(Check("a pool fits", STOP, "No array with a pool is linked yet."))
    fit = next((fit for row, fit in fits if pool is not None and row.pk == pool.pk), None)
    if fit is None or size is None:
        return checks
    level = {Verdict.FITS: PASS, Verdict.TIGHT: WARN, Verdict.REFUSED: STOP}[fit.verdict]
    left = f"{format_size(fit.free_after_bytes)} left in {fit.pool}, {format_share(fit.subscription_after)} subscribed"
    text = left if level == PASS else f"{fit.pool}: {fit_text(fit)}"
    return [*checks, Check("pool has room", level, text)]


def _table(hosts: list[Device], pool: Pool, volume: str, fixes: dict[str, StepSpec]) -> PathTable:
    """Paths as they will be, fixes of uplinks included."""
    table = expected_table(hosts, pool.device, volume)
    if not fixes:
        return table
    fixed = {(spec.device, spec.params["interface"]): spec.params for spec in fixes.values()}
    ports = [
        replace(port, active_uplinks=tuple(fixed[port.host, port.name]["active"]), standby_uplinks=())
        if (port.host, port.name) in fixed
        else port
        for port in table.ports
    ]
    return expected_paths(ports, table.portals, volume)


def _path_checks(table: PathTable) -> list[Check]:
    """Hosts without any path stop; missing paths and single points of failure warn."""
    checks = []
    seen = sum(path.seen for path in table.paths)
    expected = sum(path.expected for path in table.paths)
    hosts = sorted({port.host for port in table.ports})
    blind = [host for host in hosts if not any(path.seen for path in table.paths if path.host == host)]
    checks += [Check("every host reaches it", STOP, f"{host} would have no path at all.") for host in blind]
    for host in hosts:
        points = sorted({point.component for point in table.points if point.host == host and point.kind == "subnet"})
        if host not in blind and points:
            checks.append(Check("no single point of failure", WARN, f"{host} would reach it over {points[0]} only."))
    if seen == expected:
        checks.append(Check("paths", PASS, f"{seen} of {expected} paths, on two subnets and two controllers"))
    return checks


def _rival_checks(lot: Lot, pool: Pool, size: int) -> list[Check]:
    """Other people's drafts on the same pool, and whether it has room for all of them."""
    rivals = [
        other
        for other in Lot.objects.filter(kind="attach", state=Lot.State.DRAFT)
        .exclude(pk=lot.pk)
        .select_related("created_by")
        if other.plan.get("pool") == pool.name and other.plan.get("size_bytes") and other.steps.exists()
    ]
    if not rivals:
        return []
    asked = sum(int(other.plan["size_bytes"]) for other in rivals) + size
    free = pool.capacity_bytes - pool.allocated_bytes
    who = ", ".join(f"lot {other.pk} of {other.created_by.username}" for other in rivals[:3])
    fits = (
        "it has room for all"
        if asked <= free
        else f"together they ask {format_size(asked)} of {format_size(free)} free"
    )
    return [Check("no rival draft", WARN, f"{pool.name} is also drafted on by {who}; {fits}.")]


def _facts(pool: Pool, hosts: list[Device], name: str | None) -> dict[str, str]:
    """What the plan rests on, as it was read."""
    return {
        f"space promised by {pool.name}": format_size(pool.subscribed_bytes),
        "hosts of the cluster": ", ".join(host.name for host in hosts),
        "LUN numbers in use": ", ".join(str(n) for n in sorted(set(Offer.objects.values_list("lun", flat=True)))),
        "name": name or "",
    }
