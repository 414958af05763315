"""Lots that make storage interfaces where hosts lack one that their fellows have, with the next free addresses."""

from __future__ import annotations

from dataclasses import dataclass, field, replace
from typing import Any

from movelot.fabric.mending import NewInterface, add_path_search, addresses_in_use, mended, new_interfaces
from movelot.inventory.clusters import hosts_of
from movelot.inventory.models import Cluster, Device
from movelot.inventory.paths import PathTable, expected_table
from movelot.lots.documents import LotForm, LotPlan, names
from movelot.lots.kinds import PASS, STOP, Check, Draft, LotKind, MeasuredRow
from movelot.lots.models import Lot
from movelot.lots.step_plan import StepPlan
from movelot.lots.steps.base import StepSpec
from movelot.network.frames import paths_between, paths_to_come
from movelot_core.addresses import address_problem
from movelot_core.fabric.paths import lacking, network_of
from movelot_core.fabric.transports import transport_of


@dataclass(frozen=True)
class InterfaceForm(LotForm):
    """The form as typed; ``addresses`` has those that were edited, by "host subnet"."""

    cluster: str = names("cluster")
    array: str = names("array")
    addresses: dict[str, str] = field(default_factory=dict)


@dataclass
class InterfaceRow:
    """An interface to be made: its proposed or typed address, and what is wrong with that."""

    key: str
    host: str
    name: str
    subnet: str
    address: str
    vlan: int
    frame_bytes: int
    uplink: str
    problem: str


@dataclass
class InterfacePlan(LotPlan):
    """What the page shows while addresses are edited; paths of all hosts, now and after."""

    cluster: str
    array: str
    hosts: list[str]
    rows: list[InterfaceRow]
    paths_now: int
    paths_after: int
    paths: int
    paths_to_come: int | None = None


class InterfaceKind(LotKind[InterfaceForm, InterfacePlan]):
    """Makes the interfaces that hosts lack beside their fellows."""

    name, form, plan = "interfaces", InterfaceForm, InterfacePlan

    def drafted(self, form: InterfaceForm, lot: Lot) -> Draft[InterfaceForm, InterfacePlan]:
        cluster = Cluster.objects.filter(name=form.cluster).first()
        array = Device.objects.filter(name=form.array, kind=Device.Kind.ARRAY).first()
        if cluster is None or array is None:
            check = Check("cluster and array are known", STOP, "The cluster or the array is not linked.")
            return Draft("Make storage interfaces", checks=[check])
        hosts = hosts_of(cluster)
        table = expected_table(hosts, array, "any volume")
        given, rows = _rows(new_interfaces(table), form.addresses)
        title = f"Make storage interfaces for {array.name}"
        if not rows:
            return Draft(title, checks=[Check("something to make", STOP, _why_none(table))])
        made = [step for steps in given.values() for step in steps]
        usable = not any(row.problem for row in rows)
        after = mended(table, hosts, made, "any volume") if usable else table
        without = [host for host in hosts if host.name in given]
        plan = InterfacePlan(
            cluster=cluster.name,
            array=array.name,
            hosts=[host.name for host in without],
            rows=rows,
            paths_now=sum(path.seen for path in table.paths),
            paths_after=sum(path.seen for path in after.paths),
            paths=sum(paths_between(host, array) for host in without),
            paths_to_come=sum(paths_to_come(host, array, after) for host in without),
        )
        steps = StepPlan()
        handles = {host: [*steps.add_all(fixes)] for host, fixes in given.items() if usable}
        for host in without if usable else ():
            add_path_search(steps, host, [(array, after)], handles[host.name])
        checks = [Check("address is usable", STOP, f"{row.host}: {row.problem}") for row in rows if row.problem]
        checks = checks or [Check("addresses are free", PASS, f"{len(rows)} free, as far as linked devices tell")]
        facts = {f"interface in {row.subnet} on {row.host}": "none" for row in rows}
        return Draft(title, steps, plan, checks, facts)

    def outcome(self, lot: Lot, plan: InterfacePlan) -> list[MeasuredRow]:
        """Paths of the hosts that lacked an interface, before and after."""
        array = Device.objects.filter(name=plan.array).first()
        hosts = Device.objects.filter(name__in=plan.hosts)
        now = sum(paths_between(host, array) for host in hosts) if array else 0
        return [MeasuredRow("array", plan.array, "paths", plan.paths, plan.paths_to_come, now)]


def _why_none(table: PathTable) -> str:
    """Why there is no interface to make."""
    lacks = lacking(table.ports, table.portals)
    cards = [lack for lack in lacks if not transport_of(lack.like.protocol).makes_ports]
    if cards:
        ports = sorted({f"{lack.host} in {lack.subnet}" for lack in cards})
        return f"What is missing are {cards[0].like.protocol} ports: {', '.join(ports)}. These are cards and cables."
    full = sorted({lack.subnet for lack in lacks})
    return f"No address is free in {', '.join(full)}." if full else "Every host has one where its fellows do."


def _rows(
    proposed: dict[str, list[NewInterface]], typed: dict[str, str]
) -> tuple[dict[str, list[StepSpec[Any]]], list[InterfaceRow]]:
    """The steps with what was typed put in, and a row for each; each address is judged beside all others."""
    used = addresses_in_use()
    rows: list[InterfaceRow] = []
    steps: dict[str, list[StepSpec[Any]]] = {}
    for host, drafts in proposed.items():
        for new in drafts:
            made = new.made
            subnet = network_of(made.network)
            key = f"{host} {subnet}"
            text = typed.get(key, made.network).strip()
            problem = address_problem(text, subnet, used)
            bare = text.split("/")[0]
            network = f"{bare}/{subnet.split('/')[1]}"
            if not problem:
                used.append(network)
                new = replace(new, made=made.model_copy(update={"network": network}))
            steps.setdefault(host, []).append(new.spec)
            wired = (made.vlan, made.frame_bytes, made.uplinks[0] if made.uplinks else "")
            rows.append(InterfaceRow(key, host, made.interface, subnet, bare, *wired, problem))
    return steps, rows
