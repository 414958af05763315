"""The form of an attach lot: as typed, and what it means, with what is wrong beside each field."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Literal

from movelot.inventory.models import Datastore, Volume
from movelot.lots.documents import LotForm, names
from movelot.lots.fields import FieldProblem, read_field
from movelot_core.attach import REDUCTIONS, expand_names, parse_count
from movelot_core.units import parse_size


@dataclass(frozen=True)
class AttachForm(LotForm):
    """The form as typed. ``fixes`` names hosts that are to be mended first; ``pools`` may name several.

    ``tiering`` is empty where the array's own way will do.

    ``own_target`` puts each volume behind an iSCSI target of its own. A ``raw`` volume is given to ``machines``
    (primary keys) as it is, instead of being made a datastore.
    """

    cluster: str = names("cluster")
    name: str = ""
    size: str = ""
    count: str = "1"
    allocation: Literal["thin", "thick"] = "thin"
    reduced: list[Literal["compression", "deduplication"]] = field(default_factory=list)
    tiering: Literal["", "by use", "fastest", "slowest"] = ""
    own_target: bool = False
    raw: bool = False
    machines: list[int] = field(default_factory=list)
    pools: list[int] = field(default_factory=list)
    fixes: list[str] = field(default_factory=list)


@dataclass
class ReadForm:
    """What a form means: free names, one size for all, thin or thick. Fields that cannot be read are None."""

    names: list[str] | None
    size_bytes: int | None
    count: int
    thin: bool
    problems: list[FieldProblem]
    reduced: tuple[str, ...] = ()
    tiering: str = ""
    own_target: bool = False

    @property
    def complete(self) -> bool:
        return bool(self.names) and self.size_bytes is not None

    @property
    def total_bytes(self) -> int:
        return (self.size_bytes or 0) * self.count


def read(form: AttachForm) -> ReadForm:
    """What ``form`` means, with a problem for each field that cannot be used; an empty field is no problem yet."""
    problems: list[FieldProblem] = []
    count = read_field(problems, "count", form.count, parse_count) or 1
    size = read_field(problems, "size", form.size, parse_size)
    found = read_field(problems, "name", form.name, lambda text: expand_names(text, count, _taken()))
    return ReadForm(
        found,
        size,
        count,
        form.allocation == "thin",
        problems,
        tuple(way for way in REDUCTIONS if way in form.reduced),
        form.tiering,
        form.own_target,
    )


def _taken() -> set[str]:
    """Names in use, on arrays or hosts."""
    return {
        *Datastore.objects.values_list("name", flat=True),
        *Volume.objects.values_list("name", flat=True),
    }
