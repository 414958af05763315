"""Attach lots: block volumes made on an array, offered to a cluster's hosts, formatted once and mounted everywhere."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from movelot.attach.block.raw import RawMachine, machines_of, raw_checks
from movelot.attach.block.steps import NewVolume, add_attach
from movelot.attach.checks import can_own_targets, form_checks, path_checks, rival_checks, target_checks
from movelot.attach.form import AttachForm, ReadForm, read
from movelot.attach.pools.advice import Advice, advice_for
from movelot.attach.pools.fits import (
    Figures,
    Fits,
    PlannedVolume,
    PoolRow,
    ceiling_of,
    figures_of,
    fits_of,
    pool_row,
    pools_named,
)
from movelot.attach.volume_lots import VolumeLotKind, VolumePlan
from movelot.fabric.board import Board, board_of
from movelot.fabric.fixes import Fixable, fixables, fixes_in
from movelot.fabric.mending import mended
from movelot.inventory.clusters import cluster_named, hosts_of
from movelot.inventory.models import Cluster, Datastore, Device, Disk, Offer, Path, Pool, Volume
from movelot.inventory.paths import expected_table
from movelot.lots.fields import FieldProblem
from movelot.lots.kinds import Draft, MeasuredRow
from movelot.lots.models import Lot
from movelot.lots.step_plan import StepPlan
from movelot_core.attach import Verdict, rank_pools, share_out
from movelot_core.fabric.transports import block_transports
from movelot_core.units import format_size


@dataclass
class AttachPlan(VolumePlan):
    """What the page shows while the form is typed. The board is drawn for the array of the first pool chosen.

    ``own_targets`` is whether this array can put volumes behind iSCSI targets of their own.
    """

    cluster: str
    hosts: list[str]
    size_bytes: int | None
    total_bytes: int
    pools_chosen: list[int]
    volumes: list[PlannedVolume]
    problems: list[FieldProblem]
    pools: list[PoolRow]
    advice: Advice | None
    board: Board | None
    own_targets: bool
    raw: bool
    machines: list[RawMachine]
    fixable: list[Fixable]


class AttachKind(VolumeLotKind[AttachForm, AttachPlan]):
    """Block volumes for a cluster, each a datastore, or given to machines as it is."""

    name, form, plan = "attach", AttachForm, AttachPlan
    documents_version = 2

    def drafted(self, form: AttachForm, lot: Lot) -> Draft[AttachForm, AttachPlan]:
        typed, meant = form, read(form)
        machines = machines_of(typed.machines) if typed.raw else []
        cluster = machines[0].host.cluster if machines and not typed.cluster else cluster_named(typed.cluster)
        hosts = hosts_of(cluster)
        figures = figures_of(cluster, lot, block_transports())
        fits = fits_of(cluster, meant, figures)
        chosen = _chosen(typed.pools, fits, meant)
        plan = AttachPlan(
            cluster=cluster.name if cluster else "",
            hosts=[host.name for host in hosts],
            size_bytes=meant.size_bytes,
            total_bytes=meant.total_bytes,
            pools_chosen=[pool.pk for pool in chosen],
            volumes=_planned(meant, chosen, fits),
            problems=meant.problems,
            pools=[pool_row(row, fit, figures, meant.count) for row, fit in fits],
            advice=advice_for(cluster, hosts, chosen, meant.total_bytes, figures),
            board=None,
            own_targets=bool(chosen) and can_own_targets(chosen[0].device),
            raw=typed.raw,
            machines=[RawMachine(machine.pk, machine.name, machine.host.name) for machine in machines],
            fixable=[],
        )
        title = _title(meant, plan)
        if not chosen or not hosts:
            return Draft(title, StepPlan(), plan, form_checks(meant, fits, []))
        table = expected_table(hosts, chosen[0].device, "the volume")
        possible = fixes_in(table, hosts)
        fixes = [step for host, steps in possible.items() if host in typed.fixes for step in steps]
        table = mended(table, hosts, fixes, "the volume")
        plan.board = board_of(table)
        plan.fixable = fixables(possible, typed.fixes)
        checks = [
            *form_checks(meant, _judged_apart(cluster, plan.volumes, meant, figures), chosen),
            *path_checks(table),
            *target_checks(meant, chosen[0].device),
            *(raw_checks(machines, cluster) if typed.raw else []),
            *rival_checks(lot, chosen, plan.volumes),
        ]
        pools, how = (
            {pool.pk: pool for pool in chosen},
            (meant.thin, meant.reduced, meant.tiering, meant.own_target),
        )
        wanted = [NewVolume(v.name, v.size_bytes, pools[v.pool_id], *how) for v in plan.volumes]
        ready = wanted and (machines or not typed.raw)
        steps = StepPlan()
        if ready:
            first = steps.add_all(fixes)
            add_attach(steps, wanted, hosts, table, machines if typed.raw else None, after=first)
        return Draft(title, steps, plan, checks, _facts(chosen, hosts, meant))

    def upgraded(self, form: dict[str, Any], plan: dict[str, Any], version: int) -> tuple[dict[str, Any], ...]:
        """The first version named pools by their names."""
        chosen = {**plan, "pools_chosen": pools_named(plan.get("pools_chosen", []))} if plan else plan
        return {**form, "pools": pools_named(form.get("pools", []))}, chosen

    def outcome(self, lot: Lot, plan: AttachPlan) -> list[MeasuredRow]:
        """Paths and mounts of each datastore after the run, beside what was expected."""
        return [row for volume in plan.volumes for row in _outcome(volume, plan)]


def _outcome(volume: PlannedVolume, plan: AttachPlan) -> list[MeasuredRow]:
    made = Volume.objects.filter(name=volume.name, pool=volume.pool_id).first()
    seen = Path.objects.filter(path_set__hostdevices__serial=made.serial).count() if made else 0
    expected = plan.board.seen if plan.board else None
    if plan.raw:
        holders = Disk.objects.filter(raw_serial=made.serial).count() if made else 0
        return [
            MeasuredRow("volume", volume.name, "machines that have it", 0, len(plan.machines), holders),
            MeasuredRow("datastore", volume.name, "paths", 0, expected, seen),
        ]
    store = Datastore.objects.filter(extents__serial=made.serial).first() if made else None
    mounts, capacity = (store.mounts.count(), store.capacity_bytes) if store else (0, 0)
    return [
        MeasuredRow("datastore", volume.name, "hosts that mount it", 0, len(plan.hosts), mounts),
        MeasuredRow("datastore", volume.name, "paths", 0, expected, seen),
        MeasuredRow("datastore", volume.name, "capacity in bytes", 0, volume.size_bytes, capacity),
    ]


def _title(meant: ReadForm, plan: AttachPlan) -> str:
    cluster = plan.cluster
    if plan.raw:
        names = ", ".join(meant.names or []) or "a raw volume"
        return f"Give {names} to {', '.join(machine.name for machine in plan.machines) or 'a machine'}"
    if not cluster:
        return "Attach a block volume"
    if not meant.names:
        return f"Attach a block volume to {cluster}"
    if len(meant.names) > 1:
        return f"Attach {len(meant.names)} datastores, {meant.names[0]} to {meant.names[-1]}, to {cluster}"
    return f"Attach {meant.names[0]} to {cluster}"


def _judged_apart(cluster: Cluster | None, volumes: list[PlannedVolume], meant: ReadForm, figures: Figures) -> Fits:
    """Each pool that takes part, judged for all the volumes it would get."""
    asked: dict[int, int] = {}
    for volume in volumes:
        asked[volume.pool_id] = asked.get(volume.pool_id, 0) + volume.size_bytes
    return [
        (
            figures[key][0],
            rank_pools([figures[key][1]], size, meant.thin, ceiling_of(cluster), meant.reduced, meant.tiering)[0],
        )
        for key, size in asked.items()
    ]


def _chosen(wanted: list[int], fits: Fits, meant: ReadForm) -> list[Pool]:
    """The pools asked for, all of one array; else the best that is not refused."""
    named = [pool for pool, _ in fits if pool.pk in wanted]
    if named:
        return [pool for pool in named if pool.device_id == named[0].device_id]
    usable = (pool for pool, fit in fits if meant.size_bytes is not None and fit.verdict != Verdict.REFUSED)
    best = next(usable, fits[0][0] if fits else None)
    return [best] if best else []


def _planned(meant: ReadForm, chosen: list[Pool], fits: Fits) -> list[PlannedVolume]:
    """The volumes, each in the chosen pool that has most room left."""
    if not meant.complete or not chosen:
        return []
    size, names = meant.size_bytes or 0, meant.names or []
    room = [max(0, pool.capacity_bytes - pool.allocated_bytes) for pool in chosen]
    places = share_out(len(names), size, room)
    return [PlannedVolume(name, size, chosen[n].pk, chosen[n].name) for name, n in zip(names, places, strict=True)]


def _facts(chosen: list[Pool], hosts: list[Device], meant: ReadForm) -> dict[str, str]:
    """What the plan rests on, as it was read."""
    promised = {f"space promised by {pool.name}": format_size(pool.subscribed_bytes) for pool in chosen}
    return {
        **promised,
        "hosts of the cluster": ", ".join(host.name for host in hosts),
        "LUN numbers in use": ", ".join(str(n) for n in sorted(set(Offer.objects.values_list("lun", flat=True)))),
        "name": ", ".join(meant.names or []),
    }
