"""Attach lots of volume sets: a place on an array where every virtual disk is a volume of its own.

A set has no size: its datastore is as large as the pool. What runs out is the number of volumes, so that the draft
counts what the cluster's machines would take, were they all to move in.
"""

from __future__ import annotations

from dataclasses import asdict, dataclass
from typing import Any

from django.db.models import Count, Q

from movelot.attach.admission import admit
from movelot.attach.board import Board, board_of
from movelot.attach.checks import form_checks, path_checks
from movelot.attach.form import FieldProblem, Form, Wish, read
from movelot.attach.grants import reserve
from movelot.attach.joining import connect_steps
from movelot.attach.mending import mended
from movelot.attach.path_fixes import Fixable, fixables, fixes_in
from movelot.attach.pools import Fits, PlannedVolume, PoolRow, figures_of, fits_of, pool_row
from movelot.inventory.clusters import cluster_named
from movelot.inventory.models import Cluster, Device, Machine, Mount, Pool, Volume
from movelot.inventory.paths import PathTable, expected_table
from movelot.lots.drafting import PASS, STOP, WARN, Check, Draft, DraftKind
from movelot.lots.models import Lot
from movelot.lots.steps.base import StepSpec
from movelot_core.attach import Verdict
from movelot_core.fabric.paths import NVME
from movelot_core.volume_sets import MachineShape, Room, room_in


@dataclass
class SetForm:
    """The form as typed; ``fixes`` names hosts that are to be mended first."""

    cluster: str
    name: str
    pool: str
    fixes: list[str]

    @classmethod
    def of(cls, given: dict[str, Any]) -> SetForm:
        cluster, name, pool = (str(given.get(part) or "")[:200] for part in ("cluster", "name", "pool"))
        fixes = given.get("fixes")
        return cls(cluster, name, pool, [str(each) for each in fixes] if isinstance(fixes, list) else [])


@dataclass
class SetRoom:
    """How many volumes a set of this array allows, what the cluster's machines would take, how many typical ones fit.

    ``fits`` says whether all of them do; ``sets`` of ``sets_max`` volume sets are there already.
    """

    volumes_max: int
    needed: int
    machines: int
    machines_fit: int
    fits: bool
    sets: int
    sets_max: int


@dataclass
class SetPlan:
    """What the page shows while the form is typed."""

    cluster: str
    array: str
    hosts: list[str]
    problems: list[FieldProblem]
    pools: list[PoolRow]
    pool: str
    board: Board | None
    fixable: list[Fixable]
    room: SetRoom | None
    volumes: list[PlannedVolume]


class AttachSetKind(DraftKind):
    """Form: see SetForm."""

    name = "attach_set"

    def drafted(self, form: dict[str, Any], lot: Lot) -> Draft:
        typed = SetForm.of(form)
        wish = read(Form(typed.cluster, typed.name))
        cluster = cluster_named(typed.cluster)
        hosts = list(Device.objects.filter(cluster=cluster, kind=Device.Kind.HOST).order_by("name")) if cluster else []
        figures = {
            name: found for name, found in figures_of(cluster, lot, (NVME,)).items() if found[0].device.set_limits
        }
        fits = fits_of(cluster, wish, figures)
        pool = _chosen(typed.pool, fits)
        where = cluster.name if cluster else "a cluster"
        title = f"Attach volume set {wish.names[0]} to {where}" if wish.names else f"Attach a volume set to {where}"
        plan = SetPlan(
            cluster=cluster.name if cluster else "",
            array=pool.device.name if pool else "",
            hosts=[host.name for host in hosts],
            problems=wish.problems,
            pools=[pool_row(row, fit, figures) for row, fit in fits],
            pool=pool.name if pool else "",
            board=None,
            fixable=[],
            room=None,
            volumes=[],
        )
        if pool is None or not hosts:
            text = "No array with volume sets is linked." if pool is None else "The cluster has no hosts."
            return Draft(title, [], asdict(plan), [Check("a pool fits", STOP, text)])
        table, fixes = self._paths(plan, hosts, pool, typed.fixes)
        plan.room = _room(cluster, pool.device)
        if wish.names:
            plan.volumes = [PlannedVolume(wish.names[0], 0, pool.pk, pool.name)]
        steps = _steps(plan, pool, hosts, table, fixes) if plan.volumes else []
        return Draft(title, steps, asdict(plan), _checks(plan, wish, fits, pool, table), _facts(plan, pool))

    def _paths(
        self, plan: SetPlan, hosts: list[Device], pool: Pool, chosen: list[str]
    ) -> tuple[PathTable, list[StepSpec]]:
        """The paths to the access points with what is mended first; the plan's board shows them."""
        table = expected_table(hosts, pool.device, "the volume set")
        possible = fixes_in(table, hosts)
        fixes = [step for host, steps in possible.items() if host in chosen for step in steps]
        table = mended(table, hosts, fixes, "the volume set")
        plan.board, plan.fixable = board_of(table), fixables(possible, chosen)
        return table, fixes

    def reserve(self, lot: Lot) -> None:
        """The pool has to be granted still."""
        reserve(lot)

    def outcome(self, lot: Lot) -> dict[str, Any]:
        """Hosts that mount it and the paths to its access points, beside what was expected."""
        (volume,) = lot.plan["volumes"]
        mounts = list(Mount.objects.filter(datastore__name=volume["name"]).values_list("ways", flat=True))
        board = lot.plan["board"] or {}
        figures = [
            ("hosts that mount it", len(lot.plan["hosts"]), len(mounts)),
            ("paths", board.get("seen"), sum(len(ways) for ways in mounts)),
        ]
        return {
            "rows": [
                {
                    "subject_kind": "datastore",
                    "subject": volume["name"],
                    "figure": figure,
                    "before": 0,
                    "predicted": predicted,
                    "measured": measured,
                    "note": "",
                }
                for figure, predicted, measured in figures
            ]
        }


def _chosen(wanted: str, fits: Fits) -> Pool | None:
    """The pool asked for, else the best that is not refused, else any."""
    named = next((pool for pool, _ in fits if pool.name == wanted), None)
    usable = next((pool for pool, fit in fits if fit.verdict != Verdict.REFUSED), None)
    return named or usable or (fits[0][0] if fits else None)


def _room(cluster: Cluster | None, array: Device) -> SetRoom:
    """The room in a new set for all machines of the cluster; snapshots are made later and are not counted."""
    machines = Machine.objects.filter(placement__host__cluster=cluster).annotate(
        count=Count("disks", Q(disks__gone_at=None))
    )
    shapes = [MachineShape(count, running=power == "On") for count, power in machines.values_list("count", "power")]
    most = int(array.set_limits.get("volumes", 0))
    room: Room = room_in(most, 0, shapes)
    sets = array.volumes.filter(kind=Volume.Kind.SET).count()
    return SetRoom(most, room.needed, len(shapes), room.machines, room.fits, sets, int(array.set_limits.get("sets", 0)))


def _checks(plan: SetPlan, wish: Wish, fits: Fits, pool: Pool, table: PathTable) -> list[Check]:
    checks = [*form_checks(wish, fits, []), *path_checks(table)]
    fit = next(fit for row, fit in fits if row.pk == pool.pk)
    if fit.verdict == Verdict.REFUSED:
        text = next(row.text for row in plan.pools if row.id == pool.pk)
        checks.append(Check("pool may be used", STOP, f"{pool.name}: {text}"))
    room = plan.room
    if room is None:
        return checks
    if room.sets >= room.sets_max:
        text = f"{plan.array} has {room.sets} volume sets and allows no more."
        checks.append(Check("array allows another set", STOP, text))
    text = f"{room.volumes_max} volumes: room for {room.machines_fit} of {room.machines} machines like the cluster's"
    level, ending = (PASS, "") if room.fits else (WARN, ", not for all.")
    checks.append(Check("volumes are enough", level, f"{text}{ending}"))
    return checks


def _facts(plan: SetPlan, pool: Pool) -> dict[str, str]:
    """What the plan rests on, as it was read."""
    return {
        "hosts of the cluster": ", ".join(plan.hosts),
        "volume sets there": str(plan.room.sets if plan.room else 0),
        "name": ", ".join(volume.name for volume in plan.volumes),
        "pool": pool.name,
    }


def _steps(plan: SetPlan, pool: Pool, hosts: list[Device], table: PathTable, fixes: list[StepSpec]) -> list[StepSpec]:
    """Mend, make hosts known, make the set, let them in, connect, mount on each."""
    (volume,) = plan.volumes
    array, name = pool.device, volume.name
    steps = [*fixes]
    admission = admit(array, hosts, len(steps))
    steps += admission.steps
    ready = tuple(range(len(steps)))
    made = len(steps)
    steps.append(
        StepSpec(
            "create_volume_set",
            array.name,
            f"Create volume set {name}",
            f"in pool {pool.name}; it has no size of its own",
            {"name": name, "pool_uri": pool.uri},
            ready,
        )
    )
    offer = {"volume_uri": {"step": made, "field": "uri"}, "initiator_uris": admission.uris, "lun": None}
    title = f"Let {len(admission.uris)} hosts use it"
    steps.append(StepSpec("offer_volume", array.name, title, "through the array's access points", offer, (made,)))
    steps += connect_steps(array, hosts, table, ready)
    mounted_after = tuple(range(made + 1, len(steps)))
    params = {"serial": {"step": made, "field": "serial"}, "name": name}
    steps += [
        StepSpec("mount_set", host.name, f"Mount {name} on {host.name}", "verify its ways", params, mounted_after)
        for host in hosts
    ]
    return steps
