"""Lots that take a volume away: unmounted everywhere, withdrawn, gone from every host, and deleted if asked for.

Order and refusals follow one rule: nothing is taken from under anything that still uses it, and each step's own
device is asked again right before.
"""

from __future__ import annotations

from dataclasses import asdict, dataclass
from typing import Any

from django.db.models import Q

from movelot.attach.default_store import default_of
from movelot.attach.file_masking import detach_steps
from movelot.attach.joining import log_out_steps
from movelot.attach.masking import goes_with_machine, volume_named
from movelot.attach.raw import raw_users, take_steps
from movelot.attach.steps import find_step
from movelot.inventory.models import Datastore, Device, Disk, HostDevice, Mount, Offer, Pool, Volume
from movelot.inventory.sentences import first_of
from movelot.lots.drafting import PASS, STOP, WARN, Check, Draft, DraftKind
from movelot.lots.models import Lot
from movelot.lots.steps.base import StepSpec
from movelot_core.units import format_size


@dataclass
class DetachPlan:
    """What the page shows: the volume, what is on it, who uses it, and what deleting it gives back."""

    volume: str
    array: str
    pool: str
    size_bytes: int
    allocated_bytes: int
    datastore: str
    hosts: list[str]
    users: list[str]
    keep: bool
    confirmed: bool


class DetachKind(DraftKind):
    """Form: volume, keep (leave it on the array), confirm (the volume's name, typed, before it is deleted)."""

    name = "detach"

    def drafted(self, form: dict[str, Any], lot: Lot) -> Draft:
        volume = volume_named(form.get("volume"))
        if volume is None:
            return Draft("Take a volume away", checks=[Check("volume is known", STOP, "It is no longer on any array.")])
        if volume.kind == Volume.Kind.MEMBER:
            return Draft("Take a volume away", checks=[goes_with_machine(volume)])
        stores = list(Datastore.objects.filter(serial=volume.serial).order_by("name"))
        store = stores[0] if stores else None
        sees = _seen_by(volume)
        keep, typed = bool(form.get("keep")), str(form.get("confirm", "")).strip()
        users = [user for each in stores for user in users_of(each)] + raw_users(volume)
        plan = DetachPlan(
            volume=volume.name,
            array=volume.device.name,
            pool=volume.pool.name,
            size_bytes=volume.size_bytes,
            allocated_bytes=volume.allocated_bytes,
            datastore=store.name if store else "",
            hosts=[host.name for host in sees],
            users=users,
            keep=keep,
            confirmed=typed == volume.name,
        )
        verb = "Detach" if keep else "Delete"
        facts = {
            f"users of {volume.name}": ", ".join(users) or "none",
            f"hosts that see {volume.name}": ", ".join(plan.hosts) or "none",
            f"size of {volume.name}": format_size(volume.size_bytes),
        }
        return Draft(f"{verb} {volume.name}", _steps(volume, store, sees, keep), asdict(plan), _checks(plan), facts)

    def outcome(self, lot: Lot) -> dict[str, Any]:
        """Space given back to the pool, and hosts that still see the volume."""
        pool = Pool.objects.filter(name=lot.plan["pool"], device__name=lot.plan["array"]).first()
        serial = _serial_of(lot)
        seen = HostDevice.objects.filter(device__name__in=lot.plan["hosts"], serial=serial).count()
        # Exports and sets are mounted without being devices.
        left = max(seen, Mount.objects.filter(datastore__serial=serial).count())
        rows = [_row(lot, "hosts that see it", len(lot.plan["hosts"]), 0, left)]
        if pool and not lot.plan["keep"]:
            gone = not Volume.objects.filter(device=pool.device, name=lot.plan["volume"]).exists()
            freed = lot.plan["allocated_bytes"] if gone else 0
            rows.append(_row(lot, "capacity in bytes", 0, lot.plan["allocated_bytes"], freed))
        return {"rows": rows}


def _serial_of(lot: Lot) -> str:
    return next((str(step.params["serial"]) for step in lot.steps.all() if "serial" in step.params), "")


def _row(lot: Lot, figure: str, before: int, predicted: int, measured: int) -> dict[str, Any]:
    note = "given back to the pool" if figure.startswith("capacity") else ""
    return {
        "subject_kind": "volume",
        "subject": lot.plan["volume"],
        "figure": figure,
        "before": before,
        "predicted": predicted,
        "measured": measured,
        "note": note,
    }


def _seen_by(volume: Volume) -> list[Device]:
    """Hosts that see a volume as a device, or mount its file system or set."""
    found = Q(hostdevices__serial=volume.serial)
    if volume.kind in (Volume.Kind.FILE, Volume.Kind.SET):
        found = Q(mounts__datastore__serial=volume.serial)
    return list(Device.objects.filter(found).distinct().order_by("name"))


def users_of(store: Datastore) -> list[str]:
    """All that would be lost with a datastore: its disks with their machines, and what lives beside them."""
    disks = (
        Disk.objects.filter(placement__datastore=store)
        .order_by("name")
        .values_list("name", "machine__placement__host__name")
    )
    beside = [f"{kind} {name}" for kind, name in store.contents] + default_of(store)
    return [f"{name} on {host}" for name, host in disks.values_list("name", "machine__placement__host__name")] + beside


def _checks(plan: DetachPlan) -> list[Check]:
    checks = []
    if plan.users:
        used = f"{plan.datastore or plan.volume} is used by {first_of(plan.users)}"
        text = f"{used}. {'Move or remove them' if plan.datastore else 'Switch them off'} first."
        checks.append(Check("nothing uses it", STOP, text))
    else:
        checks.append(Check("nothing uses it", PASS, "no disk, image, template, swap file or heartbeat is on it"))
    if not plan.keep and not plan.confirmed:
        text = f"Deleting cannot be undone. Type the volume's name, {plan.volume}, to allow it."
        checks.append(Check("deleting is meant", STOP, text))
    elif not plan.keep:
        checks.append(Check("deleting is meant", WARN, f"{plan.volume} is deleted; this step cannot be undone."))
    return checks


def _steps(volume: Volume, store: Datastore | None, sees: list[Device], keep: bool) -> list[StepSpec]:
    """Take from machines and unmount side by side, withdraw once all have, scan so that it goes, then delete."""
    if volume.kind == Volume.Kind.FILE:
        return detach_steps(volume, keep)
    steps = take_steps(volume)
    if store:
        mounts = Device.objects.filter(mounts__datastore=store).order_by("name")
        params = {"serial": volume.serial, "name": store.name}
        steps += [
            StepSpec("unmount", host.name, f"Unmount {store.name} from {host.name}", "", params) for host in mounts
        ]
    unmounted = tuple(range(len(steps)))
    steps += [_withdraw(volume, offer, unmounted) for offer in volume.offers.order_by("pk")]
    withdrawn = tuple(range(len(steps)))
    # A volume set was never a device of a host.
    of_set = volume.kind == Volume.Kind.SET
    devices = [] if of_set else sees
    steps += [
        find_step(volume.device, host, [volume.serial], "by its serial", withdrawn, present=False) for host in devices
    ]
    if volume.target != volume.device.target:
        blind = tuple(range(len(steps)))
        steps += log_out_steps(volume.device, devices, volume.target, volume.name, blind)
    if not keep:
        gone = tuple(range(len(steps)))
        verb, noun = ("delete_volume_set", "volume set") if of_set else ("delete_volume", "volume")
        title = f"Delete {noun} {volume.name}"
        detail = f"{format_size(volume.allocated_bytes)} back to pool {volume.pool.name}; cannot be undone"
        steps.append(StepSpec(verb, volume.device.name, title, detail, {"uri": volume.uri, "name": volume.name}, gone))
    return steps


def _withdraw(volume: Volume, offer: Offer, needs: tuple[int, ...]) -> StepSpec:
    nvme = volume.device.has_namespaces
    uris = dict(volume.device.initiators.values_list("identifier", "uri"))
    params = {
        "uri": offer.uri,
        "volume_uri": volume.uri,
        "initiator_uris": sorted(uris[name] for name in offer.initiators if name in uris),
        "lun": None if nvme else offer.lun,
    }
    title = f"Withdraw {volume.name} from {len(offer.initiators)} hosts"
    detail = "" if nvme else f"LUN number {offer.lun} becomes free"
    return StepSpec("withdraw_volume", volume.device.name, title, detail, params, needs)
