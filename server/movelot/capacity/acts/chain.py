"""The chain from a pool to hosts: a datastore with its volume or file system, as it is and as large as it is to be."""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Literal

from movelot.capacity.rows import CURVES, KEPT_CURVES, USUAL_CEILING, fill_ceilings, forecast_of
from movelot.findings.judging import kept
from movelot.inventory.models import Datastore, Device, Export, Extent, Mount, Volume
from movelot.lots.step_plan import AnyHandle, StepPlan
from movelot.lots.steps.file_sizes import ResizeFileSystem, SeeExport, SetQuota
from movelot_core.capacity.forecast import HORIZON_DAYS, runway
from movelot_core.errors import SizeError
from movelot_core.units import count_of, format_share, format_size, parse_size

GIB = 2**30
STORES_MAX = 50
# What is left free at least where something is made smaller.
MARGIN_SHARE = 0.05
How = Literal["by", "to", "fill", "days", "rest"]


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
    # Whether it is an export, whose size hosts see at once; what it gives of its file system at most, if not all.
    file: bool = False
    quota_before: int | None = None
    quota_after: int | None = None


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


READ: dict[str, Callable[[str], int]] = {"by": parse_size, "to": parse_size, "fill": _share, "days": _days}


class Known:
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
        paths = dict(mounts.exclude(path="").values_list("datastore_id", "path"))
        exports = {(each.volume.serial, each.path): each for each in Export.objects.filter(volume__in=rows)}
        self.exports = {
            store.pk: exports[where]
            for store in stores
            if store.serials and (where := (store.serials[0], paths.get(store.pk, ""))) in exports
        }
        found = kept(CURVES)
        curves = KEPT_CURVES.validate_json(found.document) if found else {}
        self.forecasts = {
            store.pk: forecast_of(curves[key]) for store in stores if (key := f"datastore-{store.pk}") in curves
        }
        ceilings = fill_ceilings()
        self.ceilings = {store.pk: ceilings.get(store.pk, USUAL_CEILING) for store in stores}
        self.used = {store.pk: store.capacity_bytes - store.free_bytes for store in stores}

    def __repr__(self) -> str:
        return f"<Known {len(self.hosts)} datastores>"

    def grown(self, store: Datastore, how: How, value: int) -> Link | str:
        """What grows, or why it does not, in a sentence."""
        volume = self.volumes.get(store.serials[0]) if len(store.serials) == 1 else None
        wrong = self._wrong(store, volume)
        if volume is None or wrong:
            return wrong
        if how == "days" and store.pk not in self.forecasts:
            return f"{store.name} has less than 14 days of history: its runway is not known."
        needed = -(-self._wanted(store, volume, how, value) // GIB) * GIB
        target = max(volume.size_bytes, needed)
        # An export that gives a part of its file system gives what is wanted of it, and no more.
        given = needed if self.quota(store) is not None else target
        if given <= store.capacity_bytes:
            return f"{store.name} has {format_size(store.capacity_bytes)} already, which is as much."
        return self._link(store, volume, target, given)

    def quota(self, store: Datastore) -> int | None:
        """What a datastore's export gives of its file system at most; None for all of it."""
        export = self.exports.get(store.pk)
        return export.quota_bytes if export else None

    def shrunk(self, store: Datastore, how: How, value: int) -> Link | str:
        """What is made smaller, or why it is not, in a sentence."""
        volume = self.volumes.get(store.serials[0]) if len(store.serials) == 1 else None
        wrong = self._wrong(store, volume)
        if volume is None or wrong:
            return wrong
        if volume.kind != Volume.Kind.FILE:
            text = f"{store.name} is on a volume, which nothing makes smaller while it holds a datastore"
            return f"{text}: have it emptied and made anew."
        target = -(-self._wanted(store, volume, how, value) // GIB) * GIB
        least = math.ceil(self.used[store.pk] * (1 + MARGIN_SHARE))
        if target < least:
            used, whole = format_size(self.used[store.pk]), format_size(least)
            return f"{used} of {store.name} are used: with a margin of {format_share(MARGIN_SHARE)} it keeps {whole}."
        if target >= volume.size_bytes:
            return f"{store.name} has {format_size(volume.size_bytes)}, which is no more than that."
        quota = self.quota(store)
        return self._link(store, volume, target, target if quota is None else min(quota, target))

    def _link(self, store: Datastore, volume: Volume, target: int, given: int) -> Link:
        pool, quota = volume.pool, self.quota(store)
        sizes = (volume.size_bytes, target, store.capacity_bytes, given)
        # Where less is given the quota stays: the file system is what ends it then.
        after = None if quota is None else max(quota, given)
        return Link(
            *(store.pk, store.name, volume.serial, pool.pk, pool.name, *sizes),
            file=volume.kind == Volume.Kind.FILE,
            quota_before=quota,
            quota_after=after,
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
        if volume.serial in self.shared:
            return f"{store.name} shares its volume with another datastore."
        return "" if self.hosts.get(store.pk) else f"No host mounts {store.name}."


def chain_said(known: Known, link: Link) -> str:
    """Each link before and after."""
    forecast, ceiling = known.forecasts.get(link.datastore), known.ceilings[link.datastore]
    used = known.used[link.datastore]
    said = [
        f"volume {format_size(link.volume_before)} → {format_size(link.volume_after)}",
        *_quota_said(link),
        f"datastore {format_size(link.store_before)} → {format_size(link.store_after)}",
        f"fill {format_share(used / max(1, link.store_before))} → {format_share(used / link.store_after)}",
    ]
    if forecast is not None:
        ends = [runway(forecast, ceiling * size).likely for size in (link.store_before, link.store_after)]
        said.append(f"runway {' → '.join('over a year' if end is None else count_of(end, 'day') for end in ends)}")
    return ", ".join(said)


def _quota_said(link: Link) -> list[str]:
    if link.quota_before is None or link.quota_after is None:
        return []
    return [f"quota of its export {format_size(link.quota_before)} → {format_size(link.quota_after)}"]


def add_file_steps(steps: StepPlan, link: Link, known: Known) -> None:
    """Give a file system its size, and its export a quota where it has one; then see it on each host that mounts it."""
    after: list[AnyHandle] = []
    if link.volume_after != link.volume_before:
        after = [_resized(steps, link, known.volumes[link.volume])]
    if link.quota_before is not None and link.quota_after is not None and link.quota_after != link.quota_before:
        after = [_given(steps, link, known, after)]
    sizes = {"before_bytes": link.store_before, "size_bytes": link.store_after}
    see = SeeExport(serial=link.volume, name=link.name, **sizes)
    for host in known.hosts[link.datastore]:
        seen = f"See the size of {link.name} on {host.name}"
        steps.add(see.on(host.name, seen, f"{format_size(link.store_after)}, without a scan"), after)


def _resized(steps: StepPlan, link: Link, volume: Volume) -> AnyHandle:
    resize = ResizeFileSystem(
        uri=volume.uri,
        name=volume.name,
        serial=volume.serial,
        before_bytes=link.volume_before,
        size_bytes=link.volume_after,
    )
    title = f"Give file system {volume.name} {format_size(link.volume_after)}"
    detail = f"on {volume.device.name}, from {format_size(link.volume_before)}; machines run on"
    return steps.add(resize.on(volume.device.name, title, detail))


def _given(steps: StepPlan, link: Link, known: Known, after: list[AnyHandle]) -> AnyHandle:
    export, device = known.exports[link.datastore], known.volumes[link.volume].device
    give = SetQuota(
        uri=export.uri,
        name=export.name,
        serial=link.volume,
        before_bytes=link.quota_before or 0,
        size_bytes=link.quota_after or 0,
    )
    title = f"Give export {export.name} a quota of {format_size(link.quota_after or 0)}"
    return steps.add(
        give.on(device.name, title, f"on {device.name}, from {format_size(link.quota_before or 0)}"), after
    )
