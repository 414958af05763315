"""Lots that make a datastore the default of its cluster: where new machines go on each host unless people say else.

Today it is set host by host, so that one is forgotten and machines made there land elsewhere. The datastore has to be
mounted on every host of the cluster; what each host had before is part of its step.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from movelot.inventory.clusters import hosts_of
from movelot.inventory.models import Datastore, Device
from movelot.lots.documents import LotForm, LotPlan, names
from movelot.lots.kinds import PASS, STOP, Check, Draft, LotKind, MeasuredRow
from movelot.lots.models import Lot
from movelot.lots.step_plan import StepPlan
from movelot.lots.steps.base import StepSpec
from movelot.lots.steps.default_store import SetDefaultStore


@dataclass
class DefaultPlan(LotPlan):
    """The datastore, the cluster, and which hosts have another default now."""

    datastore: str
    identity: str
    cluster: str
    hosts: list[str]
    before: int


@dataclass(frozen=True)
class DefaultForm(LotForm):
    """A datastore by its primary key."""

    datastore: int | None = names("datastore", None)


class DefaultStoreKind(LotKind[DefaultForm, DefaultPlan]):
    """Makes a datastore the default of every host of its cluster."""

    name, form, plan = "default_store", DefaultForm, DefaultPlan

    def drafted(self, form: DefaultForm, lot: Lot) -> Draft[DefaultForm, DefaultPlan]:
        store = Datastore.objects.filter(pk=form.datastore or 0).first()
        mount = store.mounts.select_related("host__cluster").order_by("host__name").first() if store else None
        cluster = mount.host.cluster if mount else None
        if store is None or cluster is None:
            check = Check("datastore is known", STOP, "No host mounts it any more.")
            return Draft("Make a datastore the default", checks=[check])
        title = f"Make {store.name} the default of {cluster.name}"
        hosts = hosts_of(cluster)
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
        named = dict(Datastore.objects.values_list("identity", "name"))
        steps = StepPlan()
        steps.add_all(_step(host, store, named.get(host.default_datastore, "")) for host in others)
        checks = [Check("every host mounts it", PASS, f"every host of {cluster.name} mounts it")]
        facts = {f"default of {host.name}": named.get(host.default_datastore, "none") for host in others}
        return Draft(title, steps, plan, checks, facts)

    def outcome(self, lot: Lot, plan: DefaultPlan) -> list[MeasuredRow]:
        """Hosts that have it as their default, before and after."""
        hosts = Device.objects.filter(name__in=plan.hosts, default_datastore=plan.identity)
        figure = "hosts that have it as their default"
        return [MeasuredRow("datastore", plan.datastore, figure, plan.before, len(plan.hosts), hosts.count())]


def _step(host: Device, store: Datastore, before: str) -> StepSpec[Any]:
    make = SetDefaultStore(wanted=store.identity, before=host.default_datastore, name=store.name)
    detail = f"{before} until now" if before else "none until now"
    return make.on(host.name, f"Make {store.name} the default on {host.name}", detail)


def default_of(store: Datastore) -> list[str]:
    """Users that keep a datastore from being taken away: the hosts that make new machines on it."""
    hosts = list(
        Device.objects.filter(default_datastore=store.identity).order_by("name").values_list("name", flat=True)
    )
    return [f"new machines of {', '.join(hosts)}, whose default it is"] if hosts else []
