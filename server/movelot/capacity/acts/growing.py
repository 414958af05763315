"""Lots that grow datastores: their volumes first, then each host sees it, then the datastore has the room.

Worked example: berth-a has 8 TiB, 6.8 are used, and grows by 20 GiB a day. To a fill of 75 %: 6.8 / 0.75 = 9.07, so it
gets 9.07 TiB, in whole GiB upwards.
"""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, field
from typing import Literal

from movelot.capacity.rows import CURVES, KEPT_CURVES, USUAL_CEILING, fill_ceilings, forecast_of
from movelot.findings.judging import kept
from movelot.inventory.models import Datastore, Device, Extent, Mount, Pool, Volume
from movelot.lots.documents import LotForm, LotPlan
from movelot.lots.fields import FieldProblem, read_field
from movelot.lots.kinds import PASS, STOP, WARN, Check, Draft, LotKind, MeasuredRow
from movelot.lots.models import Lot
from movelot.lots.step_plan import AnyHandle, StepPlan
from movelot.lots.steps.growing import GrowDatastore, GrowVolume, SeeSize
from movelot.placement.grants import promised_bytes, quota_left
from movelot_core.capacity.forecast import HORIZON_DAYS, runway
from movelot_core.errors import SizeError
from movelot_core.units import count_of, format_share, format_size, parse_size

GIB = 2**30
STORES_MAX = 50
How = Literal["by", "to", "fill", "days", "rest"]


@dataclass(frozen=True)
class GrowForm(LotForm):
    """Datastores by their primary keys, and how far they grow.

    ``how`` is by an amount, to a size, to a fill in percent, to so many days of runway, or the rest of a chain: what
    their volumes have already.
    """

    datastores: list[int] = field(default_factory=list)
    how: How = "by"
    amount: str = ""


@dataclass
class Link:
    """A datastore with its volume and pool, and the sizes of both before and after."""

    datastore: int
    name: str
    volume: str
    pool: int
    pool_name: str
    volume_before: int
    volume_after: int
    store_before: int
    store_after: int


@dataclass
class GrowPlan(LotPlan):
    """What grows."""

    links: list[Link]


class GrowKind(LotKind[GrowForm, GrowPlan]):
    """Grows datastores on volumes; machines run on."""

    name, form, plan = "grow", GrowForm, GrowPlan

    def drafted(self, form: GrowForm, lot: Lot) -> Draft[GrowForm, GrowPlan]:
        rows = Datastore.objects.filter(pk__in=form.datastores[:STORES_MAX])
        stores = list(rows.prefetch_related("extents").order_by("name", "pk"))
        problems: list[FieldProblem] = []
        value = 0 if form.how == "rest" else read_field(problems, "amount", form.amount, _READ[form.how])
        title = f"Grow {stores[0].name if len(stores) == 1 else count_of(len(stores), 'datastore')}"
        checks = [Check(f"{each.field} is usable", STOP, f"{each.message} {each.hint}") for each in problems]
        if not stores or problems or value is None:
            text = "Type how far it grows." if stores else "Choose datastores that are there."
            return Draft(title, checks=checks or [Check("form is complete", STOP, text)])
        known = _Known(stores)
        links, refused = list[Link](), list[str]()
        for store in stores:
            found = known.link(store, form.how, value)
            if isinstance(found, Link):
                links.append(found)
            else:
                refused.append(found)
        checks = [Check("it can be grown", STOP, text) for text in refused] + list(_checks(known, links))
        steps = StepPlan()
        if not any(check.level == STOP for check in checks):
            for link in links:
                _add_steps(steps, link, known)
        facts = {f"size of {link.name}": format_size(link.store_before) for link in links}
        return Draft(title, steps, GrowPlan(links), checks, facts)

    def outcome(self, lot: Lot, plan: GrowPlan) -> list[MeasuredRow]:
        """Each volume and datastore as large as it was to be."""
        stores = dict(
            Datastore.objects.filter(pk__in=[link.datastore for link in plan.links]).values_list("pk", "capacity_bytes")
        )
        volumes = dict(
            Volume.objects.filter(serial__in=[link.volume for link in plan.links]).values_list("serial", "size_bytes")
        )
        return [
            row
            for link in plan.links
            for row in (
                MeasuredRow(
                    "volume",
                    link.name,
                    "size in bytes",
                    link.volume_before,
                    link.volume_after,
                    volumes.get(link.volume),
                    link.pool_name,
                ),
                MeasuredRow(
                    "datastore",
                    link.name,
                    "capacity in bytes",
                    link.store_before,
                    link.store_after,
                    stores.get(link.datastore),
                ),
            )
        ]


def _share(text: str) -> int:
    value = text.strip().removesuffix("%").strip()
    if not value.isdecimal() or not 1 <= int(value) <= 100:
        raise SizeError("share_unusable", f"“{text.strip()}” is no fill.", "Write it as 75 %.")
    return int(value)


def _days(text: str) -> int:
    value = text.strip()
    if not value.isdecimal() or not 1 <= int(value) <= HORIZON_DAYS:
        raise SizeError("days_unusable", f"“{value}” is no number of days.", f"Write 1 to {HORIZON_DAYS}.")
    return int(value)


_READ: dict[str, Callable[[str], int]] = {"by": parse_size, "to": parse_size, "fill": _share, "days": _days}


class _Known:
    """Datastores with the volumes, pools, hosts and forecasts that growing them rests on."""

    def __init__(self, stores: Sequence[Datastore]) -> None:
        serials = {serial for store in stores for serial in store.serials}
        rows = Volume.objects.filter(serial__in=serials).select_related("pool__grant", "device")
        self.volumes = {volume.serial: volume for volume in rows}
        on = Counter(Extent.objects.filter(serial__in=serials).values_list("serial", flat=True))
        self.shared = {serial for serial, count in on.items() if count > 1}
        mounts = Mount.objects.filter(datastore__in=stores).select_related("host").order_by("host__name")
        self.hosts: dict[int, list[Device]] = {}
        for mount in mounts:
            self.hosts.setdefault(mount.datastore_id, []).append(mount.host)
        found = kept(CURVES)
        curves = KEPT_CURVES.validate_json(found.document) if found else {}
        self.forecasts = {
            store.pk: forecast_of(curves[key]) for store in stores if (key := f"datastore-{store.pk}") in curves
        }
        ceilings = fill_ceilings()
        self.ceilings = {store.pk: ceilings.get(store.pk, USUAL_CEILING) for store in stores}
        self.used = {store.pk: store.capacity_bytes - store.free_bytes for store in stores}

    def __repr__(self) -> str:
        return f"<_Known {len(self.hosts)} datastores>"

    def link(self, store: Datastore, how: How, value: int) -> Link | str:
        """What grows, or why it does not, in a sentence."""
        volume = self.volumes.get(store.serials[0]) if len(store.serials) == 1 else None
        wrong = self._wrong(store, volume)
        if volume is None or wrong:
            return wrong
        if how == "days" and store.pk not in self.forecasts:
            return f"{store.name} has less than 14 days of history: its runway is not known."
        needed = self._wanted(store, volume, how, value)
        target = max(volume.size_bytes, -(-needed // GIB) * GIB)
        if target <= store.capacity_bytes:
            return f"{store.name} has {format_size(store.capacity_bytes)} already, which is as much."
        return Link(
            store.pk,
            store.name,
            volume.serial,
            volume.pool_id,
            volume.pool.name,
            volume.size_bytes,
            target,
            store.capacity_bytes,
            target,
        )

    def _wanted(self, store: Datastore, volume: Volume, how: How, value: int) -> int:
        """The bytes that the datastore is to have at least."""
        match how:
            case "by":
                return store.capacity_bytes + value
            case "to":
                return value
            case "fill":
                return math.ceil(self.used[store.pk] * 100 / value)
            case "days":
                # With these the ceiling is not reached before so many days, 80 % sure.
                return math.ceil(float(self.forecasts[store.pk].high[value - 1]) / self.ceilings[store.pk])
        return volume.size_bytes

    def _wrong(self, store: Datastore, volume: Volume | None) -> str:
        if volume is None:
            return f"{store.name} does not lie on one volume of an array that is known."
        if volume.kind == Volume.Kind.SET:
            return f"{store.name} has no size of its own: its volumes take what they need of {volume.pool.name}."
        if volume.kind == Volume.Kind.FILE:
            return f"{store.name} is an export: file systems are not grown from here yet."
        if volume.serial in self.shared:
            return f"{store.name} shares its volume with another datastore."
        return "" if self.hosts.get(store.pk) else f"No host mounts {store.name}."


def _checks(known: _Known, links: Sequence[Link]) -> Iterator[Check]:
    by_pool: dict[int, int] = {}
    for link in links:
        by_pool[link.pool] = by_pool.get(link.pool, 0) + link.volume_after - link.volume_before
        yield Check(f"the chain of {link.name}", PASS, _chain(known, link))
        ceiling = known.ceilings[link.datastore]
        short = math.ceil(known.used[link.datastore] / ceiling) - link.store_after
        if short > 0:
            text = f"{link.name} is over its fill ceiling of {format_share(ceiling)} still"
            yield Check(f"ceiling of {link.name}", WARN, f"{text}: {format_size(short)} more would clear it.")
    promised = promised_bytes()
    for pool in Pool.objects.filter(pk__in=by_pool).select_related("grant").order_by("name"):
        yield from _pool_checks(pool, by_pool[pool.pk], promised)


def _chain(known: _Known, link: Link) -> str:
    """Each link before and after."""
    forecast, ceiling = known.forecasts.get(link.datastore), known.ceilings[link.datastore]
    used = known.used[link.datastore]
    said = [
        f"volume {format_size(link.volume_before)} → {format_size(link.volume_after)}",
        f"datastore {format_size(link.store_before)} → {format_size(link.store_after)}",
        f"fill {format_share(used / max(1, link.store_before))} → {format_share(used / link.store_after)}",
    ]
    if forecast is not None:
        ends = [runway(forecast, ceiling * size).likely for size in (link.store_before, link.store_after)]
        said.append(f"runway {' → '.join('over a year' if end is None else count_of(end, 'day') for end in ends)}")
    return ", ".join(said)


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


def _add_steps(steps: StepPlan, link: Link, known: _Known) -> None:
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
