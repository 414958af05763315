"""Lots that grow datastores: their volumes first, then each host sees it, then the datastore has the room.

Worked example: berth-a has 8 TiB, 6.8 are used, and grows by 20 GiB a day. To a fill of 75 %: 6.8 / 0.75 = 9.07, so it
gets 9.07 TiB, in whole GiB upwards.
"""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence
from dataclasses import dataclass

from movelot.capacity.acts.chain import How, Known, Link, add_file_steps, chain_said
from movelot.capacity.acts.resizing import ResizeKind, SizeForm, SizePlan
from movelot.inventory.models import Datastore, Pool, Volume
from movelot.lots.kinds import PASS, STOP, WARN, Check, Claim
from movelot.lots.models import Lot
from movelot.lots.step_plan import AnyHandle, StepPlan
from movelot.lots.steps.growing import GrowDatastore, GrowVolume, SeeSize
from movelot.placement.grants import promised_bytes, quota_left, reserve
from movelot_core.units import format_share, format_size


@dataclass(frozen=True)
class GrowForm(SizeForm):
    """Datastores by their primary keys, and how far they grow.

    ``how`` is by an amount, to a size, to a fill in percent, to so many days of runway, or the rest of a chain: what
    their volumes have already.
    """

    how: How = "by"


@dataclass
class GrowPlan(SizePlan):
    """What grows."""


class GrowKind(ResizeKind[GrowForm, GrowPlan]):
    """Grows datastores on volumes and exports; machines run on."""

    name, form, plan = "grow", GrowForm, GrowPlan
    verb, unsaid = "Grow", "Type how far it grows."

    def how(self, form: GrowForm) -> How:
        return form.how

    def link(self, known: Known, store: Datastore, how: How, value: int) -> Link | str:
        return known.grown(store, how, value)

    def checks(self, known: Known, links: Sequence[Link]) -> Iterator[Check]:
        return _checks(known, links)

    def claims(self, plan: GrowPlan) -> list[Claim]:
        """What is still to come of each growth, so that nobody else is promised the same room meanwhile."""
        volumes = Volume.objects.filter(serial__in=[link.volume for link in plan.links])
        now = dict(volumes.values_list("serial", "size_bytes"))
        return [
            Claim(f"growth of {link.name}", growth, link.pool)
            for link in plan.links
            if (growth := link.volume_after - max(link.volume_before, now.get(link.volume, 0))) > 0
        ]

    def reserve(self, lot: Lot, plan: GrowPlan) -> None:
        """Hold the grants of the pools that it grows into; each has to be granted still."""
        reserve(lot, self.claims(plan))

    def add_steps(self, steps: StepPlan, link: Link, known: Known) -> None:
        (add_file_steps if link.file else _add_steps)(steps, link, known)


def _checks(known: Known, links: Sequence[Link]) -> Iterator[Check]:
    by_pool: dict[int, int] = {}
    for link in links:
        by_pool[link.pool] = by_pool.get(link.pool, 0) + link.volume_after - link.volume_before
        yield Check(f"the chain of {link.name}", PASS, chain_said(known, link))
        ceiling = known.ceilings[link.datastore]
        short = math.ceil(known.used[link.datastore] / ceiling) - link.store_after
        if short > 0:
            text = f"{link.name} is over its fill ceiling of {format_share(ceiling)} still"
            yield Check(f"ceiling of {link.name}", WARN, f"{text}: {format_size(short)} more would clear it.")
    promised = promised_bytes()
    for pool in Pool.objects.filter(pk__in=by_pool).select_related("grant").order_by("name"):
        yield from _pool_checks(pool, by_pool[pool.pk], promised)


def _pool_checks(pool: Pool, growth: int, promised: dict[int, int]) -> Iterator[Check]:
    free = pool.capacity_bytes - pool.allocated_bytes
    if growth > free:
        text = f"{pool.name} has {format_size(max(0, free))} free; {format_size(growth)} more are wanted."
        yield Check(f"room of {pool.name}", STOP, text)
        return
    left = quota_left(pool, promised)
    if left is not None and growth > left:
        text = f"{format_size(max(0, left))} of its grant are not promised yet; {format_size(growth)} are wanted."
        yield Check(f"grant of {pool.name}", STOP, text)
        return
    subscribed, whole = pool.subscribed_bytes + growth, format_size(pool.capacity_bytes)
    text = f"{format_size(free)} of {whole} free; {format_size(subscribed)} are promised afterwards"
    if subscribed > pool.capacity_bytes:
        yield Check(f"room of {pool.name}", WARN, f"{text}, which is more than it has.")
    else:
        yield Check(f"room of {pool.name}", PASS, text)


def _add_steps(steps: StepPlan, link: Link, known: Known) -> None:
    volume, hosts = known.volumes[link.volume], known.hosts[link.datastore]
    after: list[AnyHandle] = []
    if link.volume_after > link.volume_before:
        grow = GrowVolume(
            uri=volume.uri,
            name=volume.name,
            serial=volume.serial,
            before_bytes=link.volume_before,
            size_bytes=link.volume_after,
        )
        detail = f"on {volume.device.name}; a volume is never made smaller"
        title = f"Grow volume {volume.name} to {format_size(link.volume_after)}"
        after = [steps.add(grow.on(volume.device.name, title, detail))]
    see = SeeSize(serial=volume.serial, name=link.name, size_bytes=link.volume_after)
    text = f"until it sees {format_size(link.volume_after)}; it scans where it does not yet"
    seen = steps.add_all(
        [see.on(host.name, f"See the size of {link.name} on {host.name}", text) for host in hosts], after
    )
    store = GrowDatastore(serial=volume.serial, name=link.name, before_bytes=link.store_before)
    detail = "into the new room; machines run on"
    steps.add(store.on(hosts[0].name, f"Grow datastore {link.name} from {hosts[0].name}", detail), seen)
