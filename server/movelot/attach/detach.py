"""Lots that take a volume away: unmounted everywhere, withdrawn, gone from every host, and deleted if asked for.

Order and refusals follow one rule: nothing is taken from under anything that still uses it, and each step's own
device is asked again right before.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from movelot.attach.block.raw import raw_users
from movelot.attach.default_store import default_of
from movelot.attach.spread import volume_of
from movelot.attach.storage import STORAGE_KINDS, storage_kind_of
from movelot.attach.storage.base import Leaving
from movelot.inventory.models import Datastore, Disk, Machine, MachineSnapshot, Pool, Volume
from movelot.inventory.sentences import first_of
from movelot.lots.documents import LotForm, LotPlan, names
from movelot.lots.kinds import PASS, STOP, WARN, Check, Draft, LotKind, MeasuredRow
from movelot.lots.models import Lot
from movelot.lots.step_plan import StepPlan
from movelot_core.units import format_size


@dataclass
class DetachPlan(LotPlan):
    """What the page shows: the volume, what is on it, who uses it, and what deleting it gives back."""

    volume: str
    serial: str
    kind: str
    array: str
    pool: str
    pool_id: int
    size_bytes: int
    allocated_bytes: int
    datastore: str
    hosts: list[str]
    users: list[str]
    keep: bool
    confirmed: bool


@dataclass(frozen=True)
class DetachForm(LotForm):
    """The volume, whether it stays on the array (``keep``), and its name, typed to allow deleting it."""

    volume: int | None = names("volume", None)
    keep: bool = False
    confirm: str = ""


class DetachKind(LotKind[DetachForm, DetachPlan]):
    """Takes a volume from all hosts, and deletes it if that is meant."""

    name, form, plan = "detach", DetachForm, DetachPlan
    documents_version = 2

    def drafted(self, form: DetachForm, lot: Lot) -> Draft[DetachForm, DetachPlan]:
        volume = volume_of(form.volume)
        if volume is None:
            return Draft("Take a volume away", checks=[Check("volume is known", STOP, "It is no longer on any array.")])
        kind = storage_kind_of(volume)
        alone = kind.stands_alone(volume)
        if alone:
            return Draft("Take a volume away", checks=[alone])
        stores = list(Datastore.objects.filter(extents__serial=volume.serial).order_by("name"))
        store = stores[0] if stores else None
        sees = kind.hosts_with(volume)
        keep, typed = form.keep, form.confirm.strip()
        users = [user for each in stores for user in users_of(each)] + raw_users(volume)
        plan = DetachPlan(
            volume=volume.name,
            serial=volume.serial,
            kind=volume.kind,
            array=volume.device.name,
            pool=volume.pool.name,
            pool_id=volume.pool_id,
            size_bytes=volume.size_bytes,
            allocated_bytes=volume.allocated_bytes,
            datastore=store.name if store else "",
            hosts=[host.name for host in sees],
            users=users,
            keep=keep,
            confirmed=typed == volume.name,
        )
        steps = StepPlan()
        kind.take_away(steps, Leaving(volume, store, sees, keep))
        verb = "Detach" if keep else "Delete"
        facts = {
            f"users of {volume.name}": ", ".join(users) or "none",
            f"hosts that see {volume.name}": ", ".join(plan.hosts) or "none",
            f"size of {volume.name}": format_size(volume.size_bytes),
        }
        return Draft(f"{verb} {volume.name}", steps, plan, _checks(plan), facts)

    def upgraded(self, form: dict[str, Any], plan: dict[str, Any], version: int) -> tuple[dict[str, Any], ...]:
        """The first version named the volume and its pool by their names alone."""
        if not plan:
            return form, plan
        volume = Volume.known.filter(name=plan["volume"], device__name=plan["array"]).order_by("-pk").first()
        pool = Pool.known.filter(name=plan["pool"], device__name=plan["array"]).order_by("-pk").first()
        serial, kind = (volume.serial, volume.kind) if volume else ("", Volume.Kind.BLOCK)
        return form, {**plan, "serial": serial, "kind": kind, "pool_id": pool.pk if pool else 0}

    def outcome(self, lot: Lot, plan: DetachPlan) -> list[MeasuredRow]:
        """Space given back to the pool, and hosts that still have the volume."""
        left = STORAGE_KINDS[plan.kind].still_had(plan.serial)
        rows = [MeasuredRow("volume", plan.volume, "hosts that see it", len(plan.hosts), 0, left)]
        if not plan.keep:
            gone = not Volume.objects.filter(pool=plan.pool_id, name=plan.volume).exists()
            freed = plan.allocated_bytes if gone else 0
            note = "given back to the pool"
            rows.append(MeasuredRow("volume", plan.volume, "capacity in bytes", 0, plan.allocated_bytes, freed, note))
        return rows


def users_of(store: Datastore) -> list[str]:
    """All that would be lost with a datastore: disks with their machines, files of machines, and what lives beside."""
    disks = (
        Disk.objects.filter(placement__datastore=store)
        .order_by("name")
        .values_list("name", "machine__placement__host__name")
    )
    beside = [f"{kind} {name}" for kind, name in store.contents] + default_of(store)
    machines = Machine.objects.filter(home=store.identity).order_by("name").values_list("name", flat=True)
    kept = MachineSnapshot.objects.filter(place=store.identity).order_by("machine__name", "name")
    beside += [f"files of {name}" for name in machines]
    beside += [f"snapshot {name} of {machine}" for name, machine in kept.values_list("name", "machine__name")]
    return [f"{name} on {host}" for name, host in disks.values_list("name", "machine__placement__host__name")] + beside


def _checks(plan: DetachPlan) -> list[Check]:
    checks = []
    if plan.users:
        used = f"{plan.datastore or plan.volume} is used by {first_of(plan.users)}"
        text = f"{used}. {'Move or remove them' if plan.datastore else 'Switch them off'} first."
        checks.append(Check("nothing uses it", STOP, text))
    else:
        checks.append(
            Check("nothing uses it", PASS, "no disk or file of a machine, no image, template, swap file or heartbeat")
        )
    if not plan.keep and not plan.confirmed:
        text = f"Deleting cannot be undone. Type the volume's name, {plan.volume}, to allow it."
        checks.append(Check("deleting is meant", STOP, text))
    elif not plan.keep:
        checks.append(Check("deleting is meant", WARN, f"{plan.volume} is deleted; this step cannot be undone."))
    return checks
