"""Lots that make a datastore of a volume that is there already: let in, found, wiped if meant, formatted, mounted.

What a volume carries is never guessed: hosts that see it say so, and formatting is refused on a device that is not
empty. Something found on it is wiped by a step of its own, once the volume's name was typed.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from movelot.attach.block.offers import add_admission, hosts_for, number_checks
from movelot.attach.block.raw import raw_disks
from movelot.attach.block.steps import FoundDevice, add_connections, add_datastore, add_finds
from movelot.attach.checks import path_checks
from movelot.attach.spread import volume_of
from movelot.attach.storage import storage_kind_of
from movelot.inventory.models import Datastore, Device, HostDevice, Volume
from movelot.inventory.paths import expected_table
from movelot.lots.documents import LotForm, LotPlan, names
from movelot.lots.fields import FieldProblem
from movelot.lots.kinds import PASS, STOP, WARN, Check, Draft, LotKind, MeasuredRow
from movelot.lots.models import Lot
from movelot.lots.step_plan import StepPlan
from movelot_core.attach import expand_names
from movelot_core.errors import CoreError

EMPTY = "None"


@dataclass
class UsePlan(LotPlan):
    """What the page shows. ``carries`` is empty for nothing, and null while no host sees the volume."""

    volume: str
    serial: str
    array: str
    pool: str
    size_bytes: int
    name: str
    carries: str | None
    seen_by: list[str]
    hosts: list[str]
    confirmed: bool
    problems: list[FieldProblem]


@dataclass(frozen=True)
class UseForm(LotForm):
    """The form as typed: the datastore's name, and the volume's, typed to allow wiping what is on it.

    ``cluster`` is for a volume that is offered to nobody.
    """

    volume: int | None = names("volume", None)
    name: str = ""
    confirm: str = ""
    cluster: str = names("cluster")


class UseKind(LotKind[UseForm, UsePlan]):
    """A datastore on a volume that is there already."""

    name, form, plan = "use_volume", UseForm, UsePlan
    documents_version = 2

    def drafted(self, form: UseForm, lot: Lot) -> Draft[UseForm, UsePlan]:
        volume = volume_of(form.volume)
        if volume is None or not storage_kind_of(volume).formattable:
            check = Check("volume is known", STOP, "It is no block volume of any array.")
            return Draft("Make a datastore of a volume", checks=[check])
        hosts = hosts_for(volume, form.cluster)
        name, problems = _name(form.name or volume.name, volume)
        seen = list(HostDevice.objects.filter(serial=volume.serial).order_by("device__name").select_related("device"))
        carries = _carries(seen)
        plan = UsePlan(
            volume=volume.name,
            serial=volume.serial,
            array=volume.device.name,
            pool=volume.pool.name,
            size_bytes=volume.size_bytes,
            name=name,
            carries=carries,
            seen_by=[row.device.name for row in seen],
            hosts=[host.name for host in hosts],
            confirmed=form.confirm.strip() == volume.name,
            problems=problems,
        )
        facts = {f"on {volume.name}": carries or "nothing", "hosts of the cluster": ", ".join(plan.hosts)}
        title = f"Make datastore {name} of volume {volume.name}"
        mounted = Datastore.objects.filter(extents__serial=volume.serial).first()
        if mounted:
            text = f"Datastore {mounted.name} is on it. Let all hosts see it, or take it away first."
            return Draft(title, StepPlan(), plan, [Check("nothing uses it", STOP, text)], facts)
        given = raw_disks(volume)
        if given:
            text = f"It is given to {', '.join(disk.machine.name for disk in given)} as it is, and never formatted."
            return Draft(title, StepPlan(), plan, [Check("nothing uses it", STOP, text)], facts)
        table = expected_table(hosts, volume.device, volume.name, volume.target)
        checks = [*_checks(plan), *path_checks(table), *number_checks(volume)]
        usable = hosts and not problems
        return Draft(title, _steps(volume, hosts, plan) if usable else StepPlan(), plan, checks, facts)

    def upgraded(self, form: dict[str, Any], plan: dict[str, Any], version: int) -> tuple[dict[str, Any], ...]:
        """The first version named the volume by its name alone."""
        if not plan:
            return form, plan
        volume = Volume.known.filter(name=plan["volume"], device__name=plan["array"]).order_by("-pk").first()
        return form, {**plan, "serial": volume.serial if volume else ""}

    def outcome(self, lot: Lot, plan: UsePlan) -> list[MeasuredRow]:
        """Hosts that mount the datastore, beside what was expected."""
        store = Datastore.objects.filter(extents__serial=plan.serial).first()
        mounts = store.mounts.count() if store else 0
        return [MeasuredRow("datastore", plan.name, "hosts that mount it", 0, len(plan.hosts), mounts)]


def _carries(seen: list[HostDevice]) -> str | None:
    """What the hosts say is on the volume: empty for nothing, None while none of them sees it."""
    if not seen:
        return None
    return next((row.signature_kind for row in seen if row.signature_kind != EMPTY), "")


def _name(text: str, volume: Volume) -> tuple[str, list[FieldProblem]]:
    """The datastore's name, which may be the volume's own."""
    taken = {
        *Datastore.objects.values_list("name", flat=True),
        *Volume.objects.exclude(pk=volume.pk).values_list("name", flat=True),
    }
    try:
        return expand_names(text, 1, taken)[0], []
    except CoreError as error:
        return text, [FieldProblem("name", error.code, error.message, error.hint)]


def _checks(plan: UsePlan) -> list[Check]:
    checks = [Check(f"{each.field} is usable", STOP, f"{each.message} {each.hint}") for each in plan.problems]
    if plan.carries is None:
        text = "no host sees it yet; it is formatted only if it proves empty"
        return [*checks, Check("device is empty", PASS, text)]
    if not plan.carries:
        return [*checks, Check("device is empty", PASS, f"nothing is on it, say {', '.join(plan.seen_by)}")]
    if not plan.confirmed:
        text = f"It carries a {plan.carries}. Type the volume's name, {plan.volume}, to allow wiping it."
        return [*checks, Check("wiping is meant", STOP, text)]
    text = f"The {plan.carries} on {plan.volume} is wiped; this step cannot be undone."
    return [*checks, Check("wiping is meant", WARN, text)]


def _steps(volume: Volume, hosts: list[Device], plan: UsePlan) -> StepPlan:
    """Let in, connect, then find, wipe, format and mount."""
    table, steps = expected_table(hosts, volume.device, volume.name), StepPlan()
    admitted = add_admission(steps, volume, hosts)
    joined = add_connections(steps, volume.device, hosts, table, admitted)
    device = FoundDevice(volume.device, plan.name, volume.serial, plan.carries or "")
    found = add_finds(steps, [device], hosts, table, admitted, joined)
    add_datastore(steps, device, hosts, table, found)
    return steps
