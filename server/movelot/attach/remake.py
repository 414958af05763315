"""Lots that make a datastore anew on a smaller volume: emptied, taken away, and attached again under its name.

Journey: a block volume cannot be made smaller while it holds a datastore. By hand one moves all disks away, deletes the
datastore host by host and its volume, makes a smaller one, and finds next week that its labels are gone and that one
host does not see it. Here it is one lot; labels and balance group go over to the new datastore. What was moved away
stays where it is: Balance moves it when it helps.

Worked example: slate-01 is 8 TiB, of which 3 disks of 0.9 TiB lie on it. To 2 TiB: three copies, unmounted by three
hosts, withdrawn, deleted, made with 2 TiB, offered, found, formatted once, mounted by three hosts; 6 TiB of its pool
are promised to nobody any more.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

from movelot.attach.block.raw import raw_users
from movelot.attach.block.steps import NewVolume, add_attach
from movelot.attach.checks import path_checks
from movelot.attach.emptying import CopyRow, Emptying, FilesRow, copies_seen, emptying
from movelot.attach.storage import storage_kind_of
from movelot.attach.storage.base import Leaving
from movelot.inventory.labels import labels_of_many, set_labels
from movelot.inventory.models import Datastore, Device, GroupMember, Volume
from movelot.inventory.paths import expected_table
from movelot.lots.documents import LotForm, LotPlan, names
from movelot.lots.fields import FieldProblem, read_field
from movelot.lots.kinds import PASS, STOP, WARN, Check, Draft, LotKind, MeasuredRow
from movelot.lots.models import Lot
from movelot.lots.step_plan import StepPlan
from movelot_core.units import format_size, parse_size


@dataclass(frozen=True)
class RemakeForm(LotForm):
    """A datastore by its primary key, the size of its new volume, and its name as it was typed."""

    datastore: int | None = names("datastore", None)
    size: str = ""
    confirm: str = ""


@dataclass
class RemakePlan(LotPlan):
    """Its identity and size before, its size after, where what is on it goes, and what people had decided of it."""

    name: str
    identity: str
    pool: str
    before_bytes: int
    size_bytes: int
    hosts: list[str]
    copies: list[CopyRow]
    files: list[FilesRow]
    labels: list[str]
    group: int | None


class RemakeKind(LotKind[RemakeForm, RemakePlan]):
    """Makes a datastore anew, smaller."""

    name, form, plan = "remake", RemakeForm, RemakePlan
    drafted_by_job = True

    def drafted(self, form: RemakeForm, lot: Lot) -> Draft[RemakeForm, RemakePlan]:
        store = Datastore.objects.filter(pk=form.datastore or 0).select_related("membership").first()
        volume = _volume(store)
        if store is None or volume is None:
            text = "It does not lie on one block volume of an array that is known."
            return Draft("Make a datastore anew", checks=[Check("datastore is known", STOP, text)])
        title, problems = f"Make {store.name} anew, smaller", list[FieldProblem]()
        size = read_field(problems, "size", form.size, parse_size)
        wrong = [f"{each.message} {each.hint}" for each in problems] or _unfit(volume, size)
        if size is None or wrong:
            return Draft(title, checks=[Check("its size is usable", STOP, text) for text in wrong])
        found, hosts = emptying([store], copies_seen(lot)), storage_kind_of(volume).hosts_with(volume)
        membership = getattr(store, "membership", None)
        plan = RemakePlan(
            name=store.name,
            identity=store.identity,
            pool=volume.pool.name,
            before_bytes=volume.size_bytes,
            size_bytes=size,
            hosts=[host.name for host in hosts],
            copies=found.copies,
            files=found.file_rows,
            labels=labels_of_many("datastore", [store.pk]).get(store.pk, []),
            group=membership.group_id if membership else None,
        )
        steps = StepPlan()
        checks = list(_checks(plan, volume, found, form.confirm))
        if not found.stays and hosts:
            checks += _add_steps(steps, plan, Leaving(volume, store, hosts, keep=False), found)
        facts = {f"size of {store.name}": format_size(volume.size_bytes)}
        facts |= {f"place of {copy.disk}": copy.source for copy in plan.copies}
        return Draft(title, steps, plan, checks, facts)

    def carry_over(self, plan: RemakePlan) -> None:
        """The new datastore has the labels of the one it replaces, and its place in a balance group."""
        store = _made(plan)
        if store is None:
            return
        if plan.labels:
            set_labels("datastore", store.pk, plan.labels)
        if plan.group is not None:
            GroupMember.objects.update_or_create(datastore=store, defaults={"group_id": plan.group})

    def outcome(self, lot: Lot, plan: RemakePlan) -> list[MeasuredRow]:
        """The size of the new datastore, and the hosts that mount it."""
        store = _made(plan)
        size, mounts = (store.capacity_bytes, store.mounts.count()) if store else (0, 0)
        sizes = plan.before_bytes, plan.size_bytes, size
        return [
            MeasuredRow("datastore", plan.name, "capacity in bytes", *sizes),
            MeasuredRow("datastore", plan.name, "hosts that mount it", len(plan.hosts), len(plan.hosts), mounts),
        ]


def _volume(store: Datastore | None) -> Volume | None:
    """The one block volume beneath a datastore."""
    if store is None or len(store.serials) != 1:
        return None
    rows = Volume.objects.filter(serial=store.serials[0], kind=Volume.Kind.BLOCK)
    return rows.select_related("pool", "device").first()


def _unfit(volume: Volume, size: int | None) -> list[str]:
    if size is None:
        return ["Type the size that its volume is to have."]
    if size >= volume.size_bytes:
        return [f"{volume.name} has {format_size(volume.size_bytes)}: to make it larger, grow it, and nothing moves."]
    return []


def _made(plan: RemakePlan) -> Datastore | None:
    """The datastore that was made in place of the other."""
    return Datastore.objects.filter(name=plan.name).exclude(identity=plan.identity).order_by("-pk").first()


def _checks(plan: RemakePlan, volume: Volume, found: Emptying, confirm: str) -> Iterator[Check]:
    yield from found.checks()
    users = raw_users(volume)
    if users:
        yield Check("all of it can go elsewhere", STOP, f"{', '.join(users)} use {volume.name} as it is.")
    if not plan.hosts:
        yield Check("hosts mount it", STOP, f"No host mounts {plan.name}: there is none to make it anew for.")
    back = format_size(plan.before_bytes - plan.size_bytes)
    yield Check("room comes back", PASS, f"{back} of {plan.pool} are promised to nobody any more")
    if confirm.strip() != plan.name:
        text = f"Its volume is deleted, which cannot be undone. Type {plan.name} to allow it."
        yield Check("deleting is meant", STOP, text)
    else:
        yield Check("deleting is meant", WARN, f"the volume of {plan.name} is deleted once nothing is left on it.")


def _add_steps(steps: StepPlan, plan: RemakePlan, leaving: Leaving, found: Emptying) -> list[Check]:
    """The steps, and what there is to be said of the paths that the new volume will have."""
    volume, hosts = leaving.volume, list[Device](leaving.hosts)
    gone = storage_kind_of(volume).take_away(steps, leaving, found.add_steps(steps))
    table = expected_table(hosts, volume.device, plan.name)
    wanted = NewVolume(
        plan.name,
        plan.size_bytes,
        volume.pool,
        thin=volume.thin,
        reduced=tuple(volume.reduced),
        tiering=volume.tiering,
        own_target=volume.target not in ("", volume.device.target),
    )
    add_attach(steps, [wanted], hosts, table, after=gone)
    return path_checks(table)
