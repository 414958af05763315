"""Lots that make file systems smaller, so that what they were promised returns to their pool.

Worked example: sand-01 is 6 TiB, of which 2.7 are used. To a fill of 75 %: 2.7 / 0.75 = 3.6, so it keeps 3.6 TiB, in
whole GiB upwards, and 2.4 TiB of its pool are promised to nobody any more.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from typing import Literal

from movelot.capacity.acts.chain import How, Known, Link, add_file_steps, chain_said
from movelot.capacity.acts.resizing import ResizeKind, SizeForm, SizePlan
from movelot.inventory.models import Datastore, Pool
from movelot.lots.kinds import PASS, WARN, Check
from movelot.lots.step_plan import StepPlan
from movelot_core.units import format_share, format_size


@dataclass(frozen=True)
class ShrinkForm(SizeForm):
    """Datastores on exports, by their primary keys, and how far they shrink: to a size, or to a fill in percent."""

    how: Literal["to", "fill"] = "fill"


@dataclass
class ShrinkPlan(SizePlan):
    """What shrinks."""


class ShrinkKind(ResizeKind[ShrinkForm, ShrinkPlan]):
    """Makes file systems smaller; machines run on."""

    name, form, plan = "shrink", ShrinkForm, ShrinkPlan
    verb, unsaid = "Shrink", "Type how far it shrinks."

    def how(self, form: ShrinkForm) -> How:
        return form.how

    def link(self, known: Known, store: Datastore, how: How, value: int) -> Link | str:
        return known.shrunk(store, how, value)

    def checks(self, known: Known, links: Sequence[Link]) -> Iterator[Check]:
        return _checks(known, links)

    def add_steps(self, steps: StepPlan, link: Link, known: Known) -> None:
        add_file_steps(steps, link, known)


def _checks(known: Known, links: Sequence[Link]) -> Iterator[Check]:
    returned: dict[int, int] = {}
    for link in links:
        returned[link.pool] = returned.get(link.pool, 0) + link.volume_before - link.volume_after
        yield Check(f"the chain of {link.name}", PASS, chain_said(known, link))
        ceiling, used = known.ceilings[link.datastore], known.used[link.datastore]
        if used > ceiling * link.store_after:
            text = f"{link.name} is over its fill ceiling of {format_share(ceiling)} then"
            yield Check(f"ceiling of {link.name}", WARN, f"{text}: {format_size(used)} are used.")
    for pool in Pool.objects.filter(pk__in=returned).order_by("name"):
        after = pool.subscribed_bytes - returned[pool.pk]
        text = f"{format_size(returned[pool.pk])} return: {format_size(after)} of {pool.name} are promised afterwards"
        yield Check(f"room of {pool.name}", PASS, text)
