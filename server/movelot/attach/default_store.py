"""Lots that make a datastore the default of its cluster: where new machines go on each host unless people say else.

Today it is set host by host, so that one is forgotten and machines made there land elsewhere. The datastore has to be
mounted on every host of the cluster; what each host had before is part of its step.
"""

from __future__ import annotations

from dataclasses import asdict, dataclass
from typing import Any

from movelot.inventory.models import Datastore, Device
from movelot.lots.drafting import PASS, STOP, Check, Draft, DraftKind
from movelot.lots.models import Lot
from movelot.lots.steps.base import StepSpec


@dataclass
class DefaultPlan:
    """The datastore, the cluster, and which hosts have another default now."""

    datastore: str
    identity: str
    cluster: str
    hosts: list[str]
    before: int


class DefaultStoreKind(DraftKind):
    """Form: datastore (its primary key)."""

    name = "default_store"

    def drafted(self, form: dict[str, Any], lot: Lot) -> Draft:
        text = str(form.get("datastore") or "")
        store = Datastore.objects.filter(pk=int(text)).first() if text.isdecimal() else None
        mount = store.mounts.select_related("host__cluster").order_by("host__name").first() if store else None
        cluster = mount.host.cluster if mount else None
        if store is None or cluster is None:
            check = Check("datastore is known", STOP, "No host mounts it any more.")
            return Draft("Make a datastore the default", checks=[check])
        title = f"Make {store.name} the default of {cluster.name}"
        hosts = list(cluster.devices.filter(kind=Device.Kind.HOST).order_by("name"))
        mounting = set(store.mounts.values_list("host_id", flat=True))
        without = [host.name for host in hosts if host.pk not in mounting]
        if without:
            text = f"{', '.join(without)} does not mount {store.name}: let all hosts see it first."
            return Draft(title, checks=[Check("every host mounts it", STOP, text)])
        others = [host for host in hosts if host.default_datastore != store.identity]
        if not others:
            text = f"{store.name} is the default of every host of {cluster.name} already."
            return Draft(title, checks=[Check("something to change", STOP, text)])
        plan = DefaultPlan(
            store.name, store.identity, cluster.name, [host.name for host in hosts], len(hosts) - len(others)
        )
        names = dict(Datastore.objects.values_list("identity", "name"))
        steps = [_step(host, store, names.get(host.default_datastore, "")) for host in others]
        checks = [Check("every host mounts it", PASS, f"all {len(hosts)} hosts of {cluster.name} mount it")]
        facts = {f"default of {host.name}": names.get(host.default_datastore, "none") for host in others}
        return Draft(title, steps, asdict(plan), checks, facts)

    def outcome(self, lot: Lot) -> dict[str, Any]:
        """Hosts that have it as their default, before and after."""
        hosts = Device.objects.filter(name__in=lot.plan["hosts"], default_datastore=lot.plan["identity"])
        row = {
            "subject_kind": "datastore",
            "subject": lot.plan["datastore"],
            "figure": "hosts that have it as their default",
            "before": lot.plan["before"],
            "predicted": len(lot.plan["hosts"]),
            "measured": hosts.count(),
            "note": "",
        }
        return {"rows": [row]}


def _step(host: Device, store: Datastore, before: str) -> StepSpec:
    params = {"wanted": store.identity, "before": host.default_datastore, "name": store.name}
    detail = f"{before} until now" if before else "none until now"
    return StepSpec("set_default_store", host.name, f"Make {store.name} the default on {host.name}", detail, params)


def default_of(store: Datastore) -> list[str]:
    """Users that keep a datastore from being taken away: the hosts that make new machines on it."""
    hosts = list(
        Device.objects.filter(default_datastore=store.identity).order_by("name").values_list("name", flat=True)
    )
    return [f"new machines of {', '.join(hosts)}, whose default it is"] if hosts else []
