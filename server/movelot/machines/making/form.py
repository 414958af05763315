"""The form of new machines: as typed, and what it means, with what is wrong beside each field."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import Literal

from movelot.inventory.models import Machine, Policy
from movelot.lots.documents import LotForm, names
from movelot.lots.fields import FieldProblem, read_field
from movelot.machines.making.contents import Contents, contents_of, fitting
from movelot.placement.new_disks import WantedDisk
from movelot_core.attach import expand_names, parse_count
from movelot_core.errors import SizeError
from movelot_core.units import parse_size

DISKS_MAX = 16
PROCESSORS_MAX = 128
IOPS_MAX = 10_000_000


@dataclass(frozen=True)
class NewDiskForm(LotForm):
    """A disk of each new machine as typed; policy and datastore by primary key, ``iops`` what it will ask at most.

    ``contents`` is what it is made from: ``image:…`` or ``disk:…`` with a primary key, empty for an empty disk. A
    ``linked:…`` one shares the blocks of that disk, and lies where that does.
    """

    size: str = ""
    policy: int | None = None
    iops: str = ""
    datastore: int | None = None
    contents: str = ""


@dataclass(frozen=True)
class NewMachineForm(LotForm):
    """The form as typed. ``name`` may have a run of # for numbers; ``host`` is chosen where it is empty."""

    cluster: str = names("cluster")
    name: str = ""
    count: str = "1"
    processors: str = "2"
    memory: str = "8 GiB"
    disks: list[NewDiskForm] = field(default_factory=lambda: [NewDiskForm()])
    host: str = names("host")
    then: Literal["on", "off"] = "on"


@dataclass(frozen=True)
class MeantMachines:
    """What the form means; None where a field cannot be read yet."""

    names: list[str] | None
    count: int
    processors: int | None
    memory_bytes: int | None
    disks: list[WantedDisk] | None
    contents: list[Contents | None]
    problems: list[FieldProblem]

    @property
    def complete(self) -> bool:
        return None not in (self.names, self.processors, self.memory_bytes, self.disks)


def read(form: NewMachineForm) -> MeantMachines:
    """What ``form`` means, with a problem for each field that cannot be used; an empty field is no problem yet."""
    problems: list[FieldProblem] = []
    count = read_field(problems, "count", form.count, parse_count) or 1
    taken = set(Machine.objects.values_list("name", flat=True))
    found = read_field(problems, "name", form.name, lambda text: expand_names(text, count, taken, "machine"))
    processors = read_field(problems, "processors", form.processors, _processors)
    memory = read_field(problems, "memory", form.memory, _size)
    contents = [
        read_field(problems, f"disks.{n}.contents", disk.contents, contents_of) for n, disk in enumerate(form.disks)
    ]
    disks = _disks(form, contents, problems)
    return MeantMachines(found, count, processors, memory, disks, contents, problems)


def _disks(
    form: NewMachineForm, contents: Sequence[Contents | None], problems: list[FieldProblem]
) -> list[WantedDisk] | None:
    if len(form.disks) > DISKS_MAX:
        problems.append(FieldProblem("disks", "disks_many", f"A machine has {DISKS_MAX} disks at most.", "Leave some."))
        return None
    known = set(Policy.objects.filter(retired_at=None).values_list("pk", flat=True))
    found = []
    for n, disk in enumerate(form.disks):
        size = _size_of(problems, f"disks.{n}.size", disk.size, contents[n])
        iops = read_field(problems, f"disks.{n}.iops", disk.iops, _iops)
        if disk.policy is not None and disk.policy not in known:
            text = "This policy is retired, or is not there."
            problems.append(FieldProblem(f"disks.{n}.policy", "policy_unknown", text, "Choose another one."))
        if size is not None:
            found.append(WantedDisk(size, disk.policy, iops, _place(problems, n, disk, contents[n])))
    return found if len(found) == len(form.disks) else None


def _place(problems: list[FieldProblem], n: int, disk: NewDiskForm, contents: Contents | None) -> int | None:
    """The datastore it has to go to; None for the one that is proposed."""
    if contents is None or not contents.linked:
        return disk.datastore
    if disk.datastore not in (None, contents.datastore):
        text = f"It shares blocks with {contents.name}, and so lies on {contents.datastore_name} too."
        problems.append(FieldProblem(f"disks.{n}.datastore", "place_given", text, "Choose that, or none."))
    return contents.datastore


def _size_of(problems: list[FieldProblem], name: str, text: str, contents: Contents | None) -> int | None:
    """A disk's size: as typed, else that of what it is made from."""
    if contents is not None and not text.strip():
        return contents.size_bytes
    return read_field(problems, name, text, lambda typed: fitting(_size(typed), contents))


def _size(text: str) -> int:
    """Bare numbers are GiB."""
    return parse_size(text, "GiB")


def _whole(text: str, what: str, most: int, example: str) -> int:
    if not text.strip().isdecimal() or not 1 <= int(text) <= most:
        message = f"“{text.strip()}” is not a number of {what} from 1 to {most}."
        raise SizeError("number_unusable", message, f"Write it as {example}.")
    return int(text)


def _processors(text: str) -> int:
    return _whole(text, "processors", PROCESSORS_MAX, "4")


def _iops(text: str) -> float:
    return float(_whole(text, "IOPS", IOPS_MAX, "500"))
