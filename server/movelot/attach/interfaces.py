"""Lots that make storage interfaces where hosts lack one that their fellows have, with the next free addresses."""

from __future__ import annotations

from dataclasses import asdict, dataclass
from typing import Any

from movelot.attach.frames import paths_between
from movelot.attach.mending import addresses_in_use, find_paths_steps, interface_steps, mended
from movelot.inventory.models import Cluster, Device
from movelot.inventory.paths import PathTable, expected_table
from movelot.lots.drafting import PASS, STOP, Check, Draft, DraftKind
from movelot.lots.models import Lot
from movelot.lots.steps.base import StepSpec
from movelot_core.addresses import address_problem
from movelot_core.fabric.paths import FC, lacking, network_of


@dataclass
class InterfaceForm:
    """The form as typed; ``addresses`` has those that were edited, by "host subnet"."""

    cluster: str
    array: str
    addresses: dict[str, str]

    @classmethod
    def of(cls, given: dict[str, Any]) -> InterfaceForm:
        typed = given.get("addresses")
        addresses = {str(key): str(text)[:64] for key, text in typed.items()} if isinstance(typed, dict) else {}
        return cls(str(given.get("cluster") or ""), str(given.get("array") or ""), addresses)


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
class InterfacePlan:
    """What the page shows while addresses are edited; paths of all hosts, now and after."""

    cluster: str
    array: str
    hosts: list[str]
    rows: list[InterfaceRow]
    paths_now: int
    paths_after: int
    paths: int


class InterfaceKind(DraftKind):
    """Form: see InterfaceForm."""

    name = "interfaces"

    def drafted(self, form: dict[str, Any], lot: Lot) -> Draft:
        typed = InterfaceForm.of(form)
        cluster = Cluster.objects.filter(name=typed.cluster).first()
        array = Device.objects.filter(name=typed.array, kind=Device.Kind.ARRAY).first()
        if cluster is None or array is None:
            check = Check("cluster and array are known", STOP, "The cluster or the array is not linked.")
            return Draft("Make storage interfaces", checks=[check])
        hosts = list(Device.objects.filter(cluster=cluster, kind=Device.Kind.HOST).order_by("name"))
        table = expected_table(hosts, array, "any volume")
        given, rows = _rows(interface_steps(table), typed.addresses)
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
        )
        steps: list[StepSpec] = list(made) if usable else []
        if usable:
            needs = {host: tuple(n for n, step in enumerate(made) if step.device == host) for host in given}
            for host in without:
                steps += find_paths_steps(host, [(array, after)], needs[host.name], len(steps))
        checks = [Check("address is usable", STOP, f"{row.host}: {row.problem}") for row in rows if row.problem]
        checks = checks or [Check("addresses are free", PASS, f"{len(rows)} free, as far as linked devices tell")]
        facts = {f"interface in {row.subnet} on {row.host}": "none" for row in rows}
        return Draft(title, steps, asdict(plan), checks, facts)

    def outcome(self, lot: Lot) -> dict[str, Any]:
        """Paths of the hosts that lacked an interface, before and after."""
        array = Device.objects.filter(name=lot.plan["array"]).first()
        hosts = Device.objects.filter(name__in=lot.plan["hosts"])
        row = {
            "subject_kind": "array",
            "subject": lot.plan["array"],
            "figure": "paths",
            "before": lot.plan["paths"],
            "predicted": None,
            "measured": sum(paths_between(host, array) for host in hosts) if array else 0,
            "note": "",
        }
        return {"rows": [row]}


def _why_none(table: PathTable) -> str:
    """Why there is no interface to make."""
    lacks = lacking(table.ports, table.portals)
    ports = sorted({f"{lack.host} in {lack.subnet}" for lack in lacks if lack.like.protocol == FC})
    if ports:
        return f"What is missing are FC ports: {', '.join(ports)}. These are cards and cables."
    full = sorted({lack.subnet for lack in lacks})
    return f"No address is free in {', '.join(full)}." if full else "Every host has one where its fellows do."


def _rows(
    proposed: dict[str, list[StepSpec]], typed: dict[str, str]
) -> tuple[dict[str, list[StepSpec]], list[InterfaceRow]]:
    """The steps with what was typed put in, and a row for each; each address is judged beside all others."""
    used = addresses_in_use()
    rows: list[InterfaceRow] = []
    steps: dict[str, list[StepSpec]] = {}
    for host, drafts in proposed.items():
        for step in drafts:
            subnet = network_of(step.params["network"])
            key = f"{host} {subnet}"
            text = typed.get(key, step.params["network"]).strip()
            problem = address_problem(text, subnet, used)
            bare = text.split("/")[0]
            network = f"{bare}/{subnet.split('/')[1]}"
            if not problem:
                used.append(network)
                title = step.title.replace(step.params["network"], network)
                step = StepSpec(step.kind, host, title, step.detail, {**step.params, "network": network})
            steps.setdefault(host, []).append(step)
            params = step.params
            uplink = params["uplinks"][0] if params["uplinks"] else ""
            wired = (params["vlan"], params["frame_bytes"], uplink)
            rows.append(InterfaceRow(key, host, params["interface"], subnet, bare, *wired, problem))
    return steps, rows
