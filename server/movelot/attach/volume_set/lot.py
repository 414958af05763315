"""Attach lots of volume sets: a place on an array where every virtual disk is a volume of its own.

A set has no size: its datastore is as large as the pool. What runs out is the number of volumes, so that the draft
counts what the cluster's machines would take, were they all to move in.
"""

from __future__ import annotations

from dataclasses import dataclass, field

from django.db.models import Count, Q

from movelot.attach.block.admission import admit
from movelot.attach.checks import form_checks, path_checks
from movelot.attach.form import AttachForm, ReadForm, read
from movelot.attach.pools.fits import Fits, PlannedVolume, PoolRow, figures_of, fits_of, pool_row
from movelot.attach.volume_lots import OnePoolKind, VolumePlan, pool_chosen
from movelot.fabric.board import Board, board_of
from movelot.fabric.connect import connect_steps
from movelot.fabric.fixes import Fixable, fixables, fixes_in
from movelot.fabric.mending import Fixes, mended
from movelot.inventory.clusters import cluster_named, hosts_of
from movelot.inventory.models import Cluster, Device, Machine, Mount, Path, Pool, Volume
from movelot.inventory.paths import PathTable, expected_table
from movelot.lots.documents import LotForm, names
from movelot.lots.fields import FieldProblem
from movelot.lots.kinds import PASS, STOP, WARN, Check, Draft, MeasuredRow
from movelot.lots.models import Lot
from movelot.lots.step_plan import StepPlan
from movelot.lots.steps.sets import CreateVolumeSet, MountSet
from movelot.lots.steps.volumes import OfferVolume
from movelot_core.attach import Verdict
from movelot_core.fabric.paths import NVME
from movelot_core.units import count_of
from movelot_core.volume_sets import MachineShape, Room, room_in


@dataclass(frozen=True)
class SetForm(LotForm):
    """The form as typed; ``fixes`` names hosts that are to be mended first."""

    cluster: str = names("cluster")
    name: str = ""
    pool: int | None = names("pool", None)
    fixes: list[str] = field(default_factory=list)


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
class SetPlan(VolumePlan):
    """What the page shows while the form is typed."""

    cluster: str
    array: str
    hosts: list[str]
    problems: list[FieldProblem]
    pools: list[PoolRow]
    pool: str
    pool_id: int | None
    board: Board | None
    fixable: list[Fixable]
    room: SetRoom | None
    volumes: list[PlannedVolume]


class AttachSetKind(OnePoolKind[SetForm, SetPlan]):
    """A volume set, made known to and mounted on every host."""

    name, form, plan = "attach_set", SetForm, SetPlan

    def drafted(self, form: SetForm, lot: Lot) -> Draft[SetForm, SetPlan]:
        typed = form
        meant = read(AttachForm(typed.cluster, typed.name))
        cluster = cluster_named(typed.cluster)
        hosts = hosts_of(cluster)
        figures = {key: found for key, found in figures_of(cluster, lot, (NVME,)).items() if found[0].device.set_limits}
        fits = fits_of(cluster, meant, figures)
        pool = pool_chosen(typed.pool, fits)
        where = cluster.name if cluster else "a cluster"
        title = f"Attach volume set {meant.names[0]} to {where}" if meant.names else f"Attach a volume set to {where}"
        plan = SetPlan(
            cluster=cluster.name if cluster else "",
            array=pool.device.name if pool else "",
            hosts=[host.name for host in hosts],
            problems=meant.problems,
            pools=[pool_row(row, fit, figures) for row, fit in fits],
            pool=pool.name if pool else "",
            pool_id=pool.pk if pool else None,
            board=None,
            fixable=[],
            room=None,
            volumes=[],
        )
        if pool is None or not hosts:
            text = "No array with volume sets is linked." if pool is None else "The cluster has no hosts."
            return Draft(title, StepPlan(), plan, [Check("a pool fits", STOP, text)])
        table, fixes = self._paths(plan, hosts, pool, typed.fixes)
        plan.room = _room(cluster, pool.device)
        if meant.names:
            plan.volumes = [PlannedVolume(meant.names[0], 0, pool.pk, pool.name)]
        steps = _steps(plan, pool, hosts, table, fixes) if plan.volumes else StepPlan()
        return Draft(title, steps, plan, _checks(plan, meant, fits, pool, table), _facts(plan, pool))

    def _paths(self, plan: SetPlan, hosts: list[Device], pool: Pool, chosen: list[str]) -> tuple[PathTable, Fixes]:
        """The paths to the access points with what is mended first; the plan's board shows them."""
        table = expected_table(hosts, pool.device, "the volume set")
        possible = fixes_in(table, hosts)
        fixes = [step for host, steps in possible.items() if host in chosen for step in steps]
        table = mended(table, hosts, fixes, "the volume set")
        plan.board, plan.fixable = board_of(table), fixables(possible, chosen)
        return table, fixes

    def outcome(self, lot: Lot, plan: SetPlan) -> list[MeasuredRow]:
        """Hosts that mount it and the paths to its access points, beside what was expected."""
        (volume,) = plan.volumes
        made = Volume.objects.filter(name=volume.name, pool=volume.pool_id).first()
        mounts = Mount.objects.filter(datastore__extents__serial=made.serial) if made else Mount.objects.none()
        ways = Path.objects.filter(path_set__mounts__in=mounts).count()
        expected = plan.board.seen if plan.board else None
        return [
            MeasuredRow("datastore", volume.name, "hosts that mount it", 0, len(plan.hosts), mounts.count()),
            MeasuredRow("datastore", volume.name, "paths", 0, expected, ways),
        ]


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


def _checks(plan: SetPlan, meant: ReadForm, fits: Fits, pool: Pool, table: PathTable) -> list[Check]:
    checks = [*form_checks(meant, fits, []), *path_checks(table)]
    fit = next(fit for row, fit in fits if row.pk == pool.pk)
    if fit.verdict == Verdict.REFUSED:
        text = next(row.text for row in plan.pools if row.id == pool.pk)
        checks.append(Check("pool may be used", STOP, f"{pool.name}: {text}"))
    room = plan.room
    if room is None:
        return checks
    if room.sets >= room.sets_max:
        text = f"{plan.array} has {count_of(room.sets, 'volume set')} and allows no more."
        checks.append(Check("array allows another set", STOP, text))
    machines, volumes = count_of(room.machines, "machine"), count_of(room.volumes_max, "volume")
    text = f"{volumes}: room for {room.machines_fit} of {machines} like the cluster's"
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


def _steps(plan: SetPlan, pool: Pool, hosts: list[Device], table: PathTable, fixes: Fixes) -> StepPlan:
    """Mend, make hosts known, make the set, let them in, connect, mount on each."""
    (volume,) = plan.volumes
    array, name, steps = pool.device, volume.name, StepPlan()
    mended_first = steps.add_all(fixes)
    admission = admit(steps, array, hosts)
    ready = steps.barrier([*mended_first, *admission.steps])
    create = CreateVolumeSet(name=name, pool_uri=pool.uri)
    detail = f"in pool {pool.name}; it has no size of its own"
    made = steps.add(create.on(array.name, f"Create volume set {name}", detail), ready)
    offer = OfferVolume(volume_uri=made.result.uri, initiator_uris=admission.uris, lun=None)
    title = f"Let {count_of(len(admission.uris), 'host')} use it"
    offered = steps.add(offer.on(array.name, title, "through the array's access points"), made)
    joined = steps.add_all(connect_steps(array, hosts, table), ready)
    mount = MountSet(serial=made.result.serial, name=name)
    mounts = [mount.on(host.name, f"Mount {name} on {host.name}", "verify its ways") for host in hosts]
    steps.add_all(mounts, [offered, *joined])
    return steps
