"""Attach lots: block volumes made on an array, offered to a cluster's hosts, formatted once and mounted everywhere."""

from __future__ import annotations

from dataclasses import asdict, dataclass
from typing import Any

from movelot.attach.advice import Advice, advice_for
from movelot.attach.board import Board, board_of
from movelot.attach.checks import can_own_targets, form_checks, path_checks, rival_checks, target_checks
from movelot.attach.form import FieldProblem, Form, Wish, read
from movelot.attach.grants import reserve
from movelot.attach.mending import mended
from movelot.attach.path_fixes import Fixable, fixables, fixes_in
from movelot.attach.pools import Figures, Fits, PlannedVolume, PoolRow, ceiling_of, figures_of, fits_of, pool_row
from movelot.attach.raw import RawMachine, machines_of, raw_checks
from movelot.attach.steps import Wanted, attach_steps
from movelot.inventory.clusters import cluster_named
from movelot.inventory.models import Cluster, Datastore, Device, Disk, HostDevice, Offer, Pool, Volume
from movelot.inventory.paths import expected_table
from movelot.lots.drafting import Draft, DraftKind
from movelot.lots.models import Lot
from movelot_core.attach import Verdict, rank_pools, share_out
from movelot_core.fabric.paths import BLOCK
from movelot_core.units import format_size


@dataclass
class AttachPlan:
    """What the page shows while the form is typed. The board is drawn for the array of the first pool chosen.

    ``own_targets`` is whether this array can put volumes behind iSCSI targets of their own.
    """

    cluster: str
    hosts: list[str]
    size_bytes: int | None
    total_bytes: int
    pools_chosen: list[str]
    volumes: list[PlannedVolume]
    problems: list[FieldProblem]
    pools: list[PoolRow]
    advice: Advice | None
    board: Board | None
    own_targets: bool
    raw: bool
    machines: list[RawMachine]
    fixable: list[Fixable]


class AttachKind(DraftKind):
    """Block volumes for a cluster, each a datastore, or given to machines as it is."""

    name = "attach"

    def drafted(self, form: dict[str, Any], lot: Lot) -> Draft:
        typed = Form.of(form)
        wish = read(typed)
        machines = machines_of(typed.machines) if typed.raw else []
        cluster = machines[0].host.cluster if machines and not typed.cluster else cluster_named(typed.cluster)
        hosts = list(Device.objects.filter(cluster=cluster, kind=Device.Kind.HOST).order_by("name")) if cluster else []
        figures = figures_of(cluster, lot, BLOCK)
        fits = fits_of(cluster, wish, figures)
        chosen = _chosen(typed.pools, fits, wish)
        plan = AttachPlan(
            cluster=cluster.name if cluster else "",
            hosts=[host.name for host in hosts],
            size_bytes=wish.size_bytes,
            total_bytes=wish.total_bytes,
            pools_chosen=[pool.name for pool in chosen],
            volumes=_planned(wish, chosen, fits),
            problems=wish.problems,
            pools=[pool_row(row, fit, figures) for row, fit in fits],
            advice=advice_for(cluster, hosts, chosen, wish.total_bytes, figures),
            board=None,
            own_targets=bool(chosen) and can_own_targets(chosen[0].device),
            raw=typed.raw,
            machines=[RawMachine(machine.pk, machine.name, machine.host.name) for machine in machines],
            fixable=[],
        )
        title = _title(wish, plan)
        if not chosen or not hosts:
            return Draft(title, [], asdict(plan), form_checks(wish, fits, []))
        table = expected_table(hosts, chosen[0].device, "the volume")
        possible = fixes_in(table, hosts)
        fixes = [step for host, steps in possible.items() if host in typed.fixes for step in steps]
        table = mended(table, hosts, fixes, "the volume")
        plan.board = board_of(table)
        plan.fixable = fixables(possible, typed.fixes)
        checks = [
            *form_checks(wish, _judged_apart(cluster, plan.volumes, wish, figures), chosen),
            *path_checks(table),
            *target_checks(wish, chosen[0].device),
            *(raw_checks(machines, cluster) if typed.raw else []),
            *rival_checks(lot, chosen, plan.volumes),
        ]
        pools, how = {pool.pk: pool for pool in chosen}, (wish.thin, wish.reduced, wish.tiering, wish.own_target)
        wanted = [Wanted(v.name, v.size_bytes, pools[v.pool_id], *how) for v in plan.volumes]
        ready = wanted and (machines or not typed.raw)
        steps = attach_steps(wanted, hosts, table, fixes, machines if typed.raw else None) if ready else []
        return Draft(title, steps, asdict(plan), checks, _facts(chosen, hosts, wish))

    def reserve(self, lot: Lot) -> None:
        """Hold the quota of the pools it uses."""
        reserve(lot)

    def outcome(self, lot: Lot) -> dict[str, Any]:
        """Paths and mounts of each datastore after the run, beside what was expected."""
        hosts, board = len(lot.plan["hosts"]), lot.plan.get("board") or {}
        rows = []
        for volume in lot.plan["volumes"]:
            made = Volume.objects.filter(name=volume["name"], pool=volume["pool_id"]).first()
            seen = sum(len(device.paths) for device in HostDevice.objects.filter(serial=made.serial)) if made else 0
            if lot.plan.get("raw"):
                holders = Disk.objects.filter(raw_serial=made.serial).count() if made else 0
                rows += [
                    _row(volume["name"], "machines that have it", len(lot.plan["machines"]), holders),
                    _row(volume["name"], "paths", board.get("seen"), seen),
                ]
                continue
            store = Datastore.objects.filter(name=volume["name"]).first()
            rows += [
                _row(volume["name"], "hosts that mount it", hosts, store.mounts.count() if store else 0),
                _row(volume["name"], "paths", board.get("seen"), seen),
                _row(volume["name"], "capacity in bytes", volume["size_bytes"], store.capacity_bytes if store else 0),
            ]
        return {"rows": rows}


def _row(name: str, figure: str, predicted: int | None, measured: int) -> dict[str, Any]:
    return {
        "subject_kind": "volume" if figure == "machines that have it" else "datastore",
        "subject": name,
        "figure": figure,
        "before": 0,
        "predicted": predicted,
        "measured": measured,
        "note": "",
    }


def _title(wish: Wish, plan: AttachPlan) -> str:
    cluster = plan.cluster
    if plan.raw:
        names = ", ".join(wish.names or []) or "a raw volume"
        return f"Give {names} to {', '.join(machine.name for machine in plan.machines) or 'a machine'}"
    if not cluster:
        return "Attach a block volume"
    if not wish.names:
        return f"Attach a block volume to {cluster}"
    if len(wish.names) > 1:
        return f"Attach {len(wish.names)} datastores, {wish.names[0]} to {wish.names[-1]}, to {cluster}"
    return f"Attach {wish.names[0]} to {cluster}"


def _judged_apart(cluster: Cluster | None, volumes: list[PlannedVolume], wish: Wish, figures: Figures) -> Fits:
    """Each pool that takes part, judged for all the volumes it would get."""
    asked: dict[str, int] = {}
    for volume in volumes:
        asked[volume.pool] = asked.get(volume.pool, 0) + volume.size_bytes
    return [
        (
            figures[name][0],
            rank_pools([figures[name][1]], size, wish.thin, ceiling_of(cluster), wish.reduced, wish.tiering)[0],
        )
        for name, size in asked.items()
    ]


def _chosen(wanted: list[str], fits: Fits, wish: Wish) -> list[Pool]:
    """The pools asked for, all of one array; else the best that is not refused."""
    named = [pool for pool, _ in fits if pool.name in wanted]
    if named:
        return [pool for pool in named if pool.device_id == named[0].device_id]
    usable = (pool for pool, fit in fits if wish.size_bytes is not None and fit.verdict != Verdict.REFUSED)
    best = next(usable, fits[0][0] if fits else None)
    return [best] if best else []


def _planned(wish: Wish, chosen: list[Pool], fits: Fits) -> list[PlannedVolume]:
    """The volumes, each in the chosen pool that has most room left."""
    if not wish.complete or not chosen:
        return []
    size, names = wish.size_bytes or 0, wish.names or []
    room = [max(0, pool.capacity_bytes - pool.allocated_bytes) for pool in chosen]
    places = share_out(len(names), size, room)
    return [PlannedVolume(name, size, chosen[n].pk, chosen[n].name) for name, n in zip(names, places, strict=True)]


def _facts(chosen: list[Pool], hosts: list[Device], wish: Wish) -> dict[str, str]:
    """What the plan rests on, as it was read."""
    promised = {f"space promised by {pool.name}": format_size(pool.subscribed_bytes) for pool in chosen}
    return {
        **promised,
        "hosts of the cluster": ", ".join(host.name for host in hosts),
        "LUN numbers in use": ", ".join(str(n) for n in sorted(set(Offer.objects.values_list("lun", flat=True)))),
        "name": ", ".join(wish.names or []),
    }
