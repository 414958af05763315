"""Path policies of many devices on many hosts: seen row by row, changed with one lot."""

from __future__ import annotations

from dataclasses import asdict, dataclass
from functools import lru_cache
from typing import Any

from django.db.models import Count, QuerySet

from movelot.inventory.models import Datastore, HostDevice, Volume
from movelot.inventory.store import inventory_version
from movelot.lots.drafting import PASS, STOP, WARN, Check, Draft, DraftKind
from movelot.lots.models import Lot
from movelot.lots.steps.base import StepSpec

# By the name that hosts use: how people call it, and what it does.
POLICIES = {
    "RoundRobin": ("round robin", "all active paths in turn"),
    "OnePath": ("one path", "one path until it fails"),
    "ShortestQueue": ("shortest queue", "the path with least outstanding I/O"),
}
ROWS_MAX = 500


@dataclass
class PolicyFilter:
    """Which devices: those of a cluster, of one host, on one array, or whose datastore or volume has this text."""

    cluster: str = ""
    host: str = ""
    array: str = ""
    text: str = ""

    @classmethod
    def of(cls, given: Any) -> PolicyFilter:
        values = given if isinstance(given, dict) else {}
        return cls(*(str(values.get(name) or "")[:128] for name in ("cluster", "host", "array", "text")))


@dataclass
class PolicyRow:
    """A device on a host with its policy, and whether that differs from most of the same volume's other hosts."""

    id: int
    host: str
    volume: str
    array: str
    datastore: str
    policy: str
    paths: int
    odd: bool


@dataclass
class PolicyPlan:
    """What a lot would change: the filter, the policy, and how many devices on how many hosts have another one."""

    filter: PolicyFilter
    policy: str
    devices: int
    hosts: int
    same: int


def chosen(which: PolicyFilter) -> QuerySet[HostDevice]:
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
        stores = Datastore.objects.filter(name__icontains=which.text).values("serial")
        rows = rows.filter(serial__in=named) | rows.filter(serial__in=stores)
    return rows.filter(serial__in=volumes.values("serial")) if which.array else rows


def rows_of(which: PolicyFilter) -> tuple[list[PolicyRow], int]:
    """The first 500 rows of the filter, and how many there are; those that differ from the usual first."""
    usual = _usual(inventory_version())
    # Sorted without the rows' paths, which are most of their size.
    named = chosen(which).values_list("pk", "serial", "path_policy")
    found = [pk for pk, *_ in sorted(named, key=lambda row: row[2] == usual[row[1]])]
    total = len(found)
    by_key = chosen(PolicyFilter()).in_bulk(found[:ROWS_MAX])
    devices = [by_key[pk] for pk in found[:ROWS_MAX]]
    serials = {row.serial for row in devices}
    volumes = {row.serial: row for row in Volume.objects.filter(serial__in=serials).select_related("device")}
    stores = dict(Datastore.objects.filter(serial__in=serials).values_list("serial", "name"))
    return [
        PolicyRow(
            row.pk,
            row.device.name,
            volumes[row.serial].name if row.serial in volumes else row.serial,
            volumes[row.serial].device.name if row.serial in volumes else "",
            stores.get(row.serial, ""),
            row.path_policy,
            len(row.paths),
            row.path_policy != usual[row.serial],
        )
        for row in devices
    ], total


@lru_cache(maxsize=2)
def _usual(_version: str) -> dict[str, str]:
    """The policy that most hosts have for each device; among equals the first by name. Kept while nothing changes."""
    counts: dict[str, dict[str, int]] = {}
    for row in HostDevice.objects.values("serial", "path_policy").annotate(hosts=Count("pk")).order_by():
        counts.setdefault(row["serial"], {})[row["path_policy"]] = row["hosts"]
    return {serial: min(found, key=lambda policy: (-found[policy], policy)) for serial, found in counts.items()}


class PathPolicyKind(DraftKind):
    """Form: filter, policy. One step a host sets the policy of all its devices that have another one."""

    name = "path_policy"

    def drafted(self, form: dict[str, Any], lot: Lot) -> Draft:
        which, policy = PolicyFilter.of(form.get("filter")), str(form.get("policy", ""))
        if policy not in POLICIES:
            check = Check(
                "policy is known", STOP, f"Choose one of {', '.join(label for label, _ in POLICIES.values())}."
            )
            return Draft("Set path policies", checks=[check])
        found = list(chosen(which).values_list("device__name", "serial", "path_policy"))
        label, does = POLICIES[policy]
        before: dict[str, dict[str, str]] = {}
        for host, serial, now in found:
            if now != policy:
                before.setdefault(host, {})[serial] = now
        count = sum(map(len, before.values()))
        steps = [
            StepSpec(
                "set_path_policies",
                host,
                f"Set {len(serials)} devices of {host} to {label}",
                does,
                {"wanted": dict.fromkeys(serials, policy), "before": serials},
                seconds=0.5 * len(serials),
            )
            for host, serials in before.items()
        ]
        plan = PolicyPlan(which, policy, count, len(before), len(found) - count)
        facts = {"devices with another policy": str(count)}
        return Draft(f"Set {count} devices to {label}", steps, asdict(plan), _checks(plan, set(before)), facts)

    def outcome(self, lot: Lot) -> dict[str, Any]:
        """Devices of the filter that have the policy, before and after."""
        which = PolicyFilter.of(lot.plan["filter"])
        total = lot.plan["devices"] + lot.plan["same"]
        row = {
            "subject_kind": "cluster",
            "subject": which.cluster or which.host or which.array or "all hosts",
            "figure": f"devices with {POLICIES[lot.plan['policy']][0]}",
            "before": lot.plan["same"],
            "predicted": total,
            "measured": chosen(which).filter(path_policy=lot.plan["policy"]).count(),
            "note": "",
        }
        return {"rows": [row]}


def _checks(plan: PolicyPlan, hosts: set[str]) -> list[Check]:
    if not plan.devices:
        return [Check("something to change", STOP, f"All {plan.same} devices have {POLICIES[plan.policy][0]} already.")]
    single = HostDevice.objects.filter(device__name__in=hosts)
    lonely = sorted({row.device.name for row in single.select_related("device") if len(row.paths) == 1})
    checks = [Check("something to change", PASS, f"{plan.devices} devices on {plan.hosts} hosts; {plan.same} have it")]
    if plan.policy != "OnePath" and lonely:
        text = f"{', '.join(lonely[:5])} have devices with one path: the policy has no effect there yet."
        checks.append(Check("paths to spread over", WARN, text))
    return checks
