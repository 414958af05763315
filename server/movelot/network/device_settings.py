"""Settings of block devices on many hosts: path policy, queue depth, turn length; seen row by row, set with a lot."""

from __future__ import annotations

from dataclasses import dataclass, field
from functools import lru_cache
from typing import Any, Literal

from django.db.models import Count, QuerySet

from movelot.inventory.capabilities import DEVICE_LIMITS
from movelot.inventory.models import Datastore, Device, Extent, HostDevice, Volume
from movelot.inventory.versions import version
from movelot.lots.documents import LotForm, LotPlan, names
from movelot.lots.kinds import PASS, STOP, WARN, Check, Draft, LotKind, MeasuredRow
from movelot.lots.models import Lot
from movelot.lots.step_plan import StepPlan
from movelot.lots.steps.hosts import SetDevices
from movelot_core.device_settings import SETTINGS, USUAL_PATH_POLICY
from movelot_core.units import count_of

ROWS_MAX = 500
# By host, the value that each device to be changed has now, by its serial.
Before = dict[str, dict[str, str | int]]


@dataclass(frozen=True)
class DeviceFilter(LotForm):
    """Which devices: those of a cluster, of one host, on one array, or whose datastore or volume has this text."""

    cluster: str = names("cluster")
    host: str = names("host")
    array: str = names("array")
    text: str = ""


@dataclass
class DeviceRow:
    """A device on a host with its settings; ``odd`` names those that most hosts of the same volume have otherwise.

    Numbers are 0 where the host does not tell them.
    """

    id: int
    host: str
    volume: str
    array: str
    datastore: str
    path_policy: str
    queue_depth: int
    turn_ios: int
    paths: int
    odd: list[str]


@dataclass
class SettingPlan(LotPlan):
    """What a lot would change: the filter, the setting, and how many devices on how many hosts have another value."""

    filter: DeviceFilter
    setting: str
    value: str | int
    devices: int
    hosts: int
    same: int


def chosen(which: DeviceFilter) -> QuerySet[HostDevice]:
    """Devices of hosts that the filter takes, in order of host and serial."""
    rows = HostDevice.objects.select_related("device").order_by("device__name", "serial")
    volumes = Volume.objects.all()
    if which.cluster:
        rows = rows.filter(device__cluster__name=which.cluster)
    if which.host:
        rows = rows.filter(device__name=which.host)
    if which.array:
        volumes = volumes.filter(device__name=which.array)
    if which.text:
        named = volumes.filter(name__icontains=which.text).values("serial")
        stores = Datastore.objects.filter(name__icontains=which.text).values("extents__serial")
        rows = rows.filter(serial__in=named) | rows.filter(serial__in=stores)
    return rows.filter(serial__in=volumes.values("serial")) if which.array else rows


def rows_of(which: DeviceFilter) -> tuple[list[DeviceRow], int]:
    """The first 500 rows of the filter, and how many there are; those that differ from the usual first."""
    usual = _usual(version("fabric"))
    # Sorted without the rows' paths, which are most of their size.
    found = []
    for pk, serial, *values in chosen(which).values_list("pk", "serial", *SETTINGS):
        odd = [name for name, value in zip(SETTINGS, values, strict=True) if value != usual[serial][name]]
        found.append((not odd, pk, odd))
    found.sort(key=lambda row: row[0])
    shown = {pk: odd for _, pk, odd in found[:ROWS_MAX]}
    by_key = chosen(DeviceFilter()).prefetch_related("path_set__paths").in_bulk(list(shown))
    devices = [by_key[pk] for pk in shown]
    serials = {row.serial for row in devices}
    volumes = {row.serial: row for row in Volume.objects.filter(serial__in=serials).select_related("device")}
    stores = dict(Extent.objects.filter(serial__in=serials).values_list("serial", "datastore__name"))
    return [
        DeviceRow(
            row.pk,
            row.device.name,
            volumes[row.serial].name if row.serial in volumes else row.serial,
            volumes[row.serial].device.name if row.serial in volumes else "",
            stores.get(row.serial, ""),
            row.path_policy,
            row.queue_depth,
            row.turn_ios,
            len(row.paths),
            shown[row.pk],
        )
        for row in devices
    ], len(found)


@lru_cache(maxsize=2)
def _usual(_version: str) -> dict[str, dict[str, Any]]:
    """By serial, the value of each setting that most hosts have; among equals the least. Kept while nothing changes."""
    counts: dict[str, dict[str, dict[Any, int]]] = {}
    for row in HostDevice.objects.values("serial", *SETTINGS).annotate(hosts=Count("pk")).order_by():
        device = counts.setdefault(row["serial"], {name: {} for name in SETTINGS})
        for name, values in device.items():
            values[row[name]] = values.get(row[name], 0) + row["hosts"]
    return {
        serial: {name: min(values, key=lambda value: (-values[value], value)) for name, values in device.items()}
        for serial, device in counts.items()
    }


@dataclass(frozen=True)
class SettingForm(LotForm):
    """A setting, the value wanted, and of which devices."""

    setting: Literal["", "path_policy", "queue_depth", "turn_ios"] = ""
    value: str | int = ""
    filter: DeviceFilter = field(default_factory=DeviceFilter)


class DeviceSettingsKind(LotKind[SettingForm, SettingPlan]):
    """One step a host sets all its devices that have another value."""

    name, form, plan = "device_settings", SettingForm, SettingPlan

    def drafted(self, form: SettingForm, lot: Lot) -> Draft[SettingForm, SettingPlan]:
        which, setting = form.filter, SETTINGS.get(form.setting)
        if setting is None:
            labels = ", ".join(each.label for each in SETTINGS.values())
            return Draft("Set devices", checks=[Check("setting is known", STOP, f"Choose one of {labels}.")])
        value = setting.read(form.value)
        if value is None:
            check = Check(f"{setting.label} is possible", STOP, setting.expected())
            return Draft(f"Set {setting.label}", checks=[check])
        found = list(chosen(which).values_list("device__name", "serial", setting.name))
        before: Before = {}
        for host, serial, now in found:
            if now != value:
                before.setdefault(host, {})[serial] = now
        count = sum(map(len, before.values()))
        plan = SettingPlan(which, setting.name, value, count, len(before), len(found) - count)
        told = setting.told(value)
        steps = StepPlan()
        for host, held in before.items():
            change = SetDevices(setting=setting.name, wanted=dict.fromkeys(held, value), before=held)
            title = f"Set {count_of(len(held), 'device')} of {host} to {told}"
            steps.add(change.on(host, title, setting.text, seconds=0.5 * len(held)))
        facts = {"devices with another value": str(count)}
        return Draft(f"Set {count_of(count, 'device')} to {told}", steps, plan, _checks(plan, before), facts)

    def outcome(self, lot: Lot, plan: SettingPlan) -> list[MeasuredRow]:
        """Devices of the filter that have the value, before and after."""
        which, setting = plan.filter, SETTINGS[plan.setting]
        subject = which.cluster or which.host or which.array or "all hosts"
        measured = chosen(which).filter(**{setting.name: plan.value}).count()
        wanted, figure = plan.devices + plan.same, f"devices with {setting.told(plan.value)}"
        return [MeasuredRow("cluster", subject, figure, plan.same, wanted, measured)]


def _checks(plan: SettingPlan, before: Before) -> list[Check]:
    setting = SETTINGS[plan.setting]
    told = setting.told(plan.value)
    if not plan.devices:
        return [
            Check(
                "something to change",
                STOP,
                f"All of the choice have {told} already: {count_of(plan.same, 'device')}.",
            )
        ]
    change = Check(
        "something to change",
        PASS,
        f"{count_of(plan.devices, 'device')} on {count_of(plan.hosts, 'host')}; {plan.same} more with it already",
    )
    match plan.setting:
        case "path_policy":
            return [change, *_spread(before, str(plan.value))]
        case "queue_depth":
            return [change, _settable(set(before)), _outstanding(before, int(plan.value))]
    return [change, _settable(set(before)), *_in_turn(before)]


def _spread(before: Before, policy: str) -> list[Check]:
    """Whether there is more than one path to spread I/O over."""
    if policy == "OnePath":
        return []
    rows = HostDevice.objects.filter(device__name__in=before).annotate(paths_left=Count("path_set__paths"))
    single = rows.filter(paths_left=1).values_list("device__name", "serial")
    lonely = sorted({host for host, serial in single if serial in before[host]})
    text = f"{', '.join(lonely[:5])} have devices with one path: the policy has no effect there yet."
    return [Check("paths to spread over", WARN, text)] if lonely else []


def _in_turn(before: Before) -> list[Check]:
    """Whether the paths of all devices are taken in turn, which a turn length is for."""
    rows = HostDevice.objects.filter(device__name__in=before).exclude(path_policy=USUAL_PATH_POLICY)
    other = sum(serial in before[host] for host, serial in rows.values_list("device__name", "serial"))
    text = f"{other} of the devices do not use round robin: the turn length has no effect there yet."
    return [Check("paths are taken in turn", WARN, text)] if other else []


def _settable(hosts: set[str]) -> Check:
    """Whether all of the hosts let a device's limits be set; people set those of imported ones."""
    linked = Device.objects.filter(name__in=hosts).exclude(state=Device.State.IMPORTED)
    able = linked.filter(capabilities__code=DEVICE_LIMITS, capabilities__able=True).values("pk")
    unable = sorted(linked.exclude(pk__in=able).values_list("name", flat=True))
    if unable:
        text = f"{', '.join(unable[:5])} cannot set limits of devices. Leave them out with the filter."
        return Check("hosts can set it", STOP, text)
    return Check("hosts can set it", PASS, "set per device while it is in use")


def _outstanding(before: Before, depth: int) -> Check:
    """How many I/Os all hosts together may keep outstanding to one volume, now and after: the array queues them."""
    serials = {serial for held in before.values() for serial in held}
    now: dict[str, int] = {}
    after: dict[str, int] = {}
    untold = 0
    rows = HostDevice.objects.filter(serial__in=serials).values_list("device__name", "serial", "queue_depth")
    for host, serial, held in rows:
        untold += not held
        now[serial] = now.get(serial, 0) + held
        after[serial] = after.get(serial, 0) + (depth if serial in before.get(host, {}) else held)
    text = f"all hosts together: {max(now.values())} I/Os to one volume at most now, {max(after.values())} after"
    if untold:
        text += f"; {count_of(untold, 'device')} whose depth is not told counted as none"
    return Check("I/Os the array may have to queue", PASS, text)
