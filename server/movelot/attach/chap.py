"""Lots that set CHAP between a cluster's hosts and an array: new secrets on both sides, then a login that proves them.

Journey: the storage team asks that the array no longer takes logins without a secret. Today every secret is made up,
typed twice for each host, and found wrong weeks later, when a session has to log in again. Here one lot makes a secret
for each host, tells both sides, and logs in again at once, one host and one session after the other, so that a host
keeps its other paths meanwhile. Nobody has to know a secret: it stands sealed in the step, and is sent to the devices.

What can go wrong: a device does not take it (the lot stops, the sessions that are there stay up); what was there was
not set by a lot, so that its secret is unknown and nothing can bring it back (told before, and then there is no undo).
"""

from __future__ import annotations

import secrets
from dataclasses import asdict, dataclass
from typing import Any

import numpy as np

from movelot.attach.joining import addresses_of
from movelot.devices.sealing import seal
from movelot.inventory.clusters import cluster_named
from movelot.inventory.models import Cluster, Device, Initiator, Volume
from movelot.inventory.paths import ClusterPaths
from movelot.lots.drafting import PASS, STOP, WARN, Check, Draft, DraftKind
from movelot.lots.models import Lot, Step
from movelot.lots.steps.base import StepSpec, Values
from movelot_core.fabric.chap import Chap
from movelot_core.fabric.matrix import NONE
from movelot_core.fabric.paths import ISCSI

# 144 random bits; RFC 7143 asks for 96.
SECRET_BYTES = 18
SETTING = ("set_array_chap", "replace_array_chap")


@dataclass
class SessionRow:
    """A host's sessions with an array's shared target, of those it could have, and the CHAP of both sides."""

    host: str
    target: str
    sessions: int
    possible: int
    on_host: str
    on_array: str


@dataclass
class ChapPlan:
    """What the tray shows."""

    array: str
    method: str
    hosts: list[str]
    set_now: int


def session_rows(paths: ClusterPaths) -> list[SessionRow]:
    """A row for each host that could log in to the array over iSCSI, or is; none for an array without a target."""
    array, fabric = paths.array, paths.matrix.fabric
    if not array.target:
        return []
    asked, by_name = _asked(array), {host.name: host for host in paths.hosts}
    over = np.array([portal.protocol == ISCSI for portal in fabric.portals], dtype=bool)
    open_pairs = fabric.wiring[0] & (fabric.wiring[1] == NONE) & over
    rows = []
    for h, name in enumerate(fabric.hosts):
        host = by_name[name]
        possible = int(open_pairs[fabric.host_of == h].sum())
        sessions = len(host.sessions.get(array.target, []))
        if host.initiator in asked and (possible or sessions):
            given = host.chap.get(array.target, Chap.OFF)
            rows.append(SessionRow(name, array.target, sessions, possible, given, asked[host.initiator]))
    return rows


def _asked(array: Device) -> dict[str, str]:
    """The CHAP method that an array asks of each initiator that it knows."""
    known = Initiator.objects.filter(device=array).values_list("identifier", "chap")
    return {name: method or Chap.OFF for name, method in known}


class ChapKind(DraftKind):
    """Form: cluster, array, method (off, one-way or mutual), renew (new secrets where the method is set already).

    With ``host`` for this one alone; without a method the stronger one that either side is set to.
    """

    name = "chap"

    def drafted(self, form: dict[str, Any], lot: Lot) -> Draft:
        cluster = cluster_named(str(form.get("cluster", "")))
        array = Device.objects.filter(name=str(form.get("array", "")), kind=Device.Kind.ARRAY).first()
        if array is None or not array.target or cluster is None:
            text = "The array has no iSCSI target, or the cluster is not known."
            return Draft("Set CHAP", checks=[Check("array is known", STOP, text)])
        hosts = cluster.devices.filter(kind=Device.Kind.HOST).exclude(initiator="").order_by("name")
        if form.get("host"):
            hosts = hosts.filter(name=str(form["host"]))
        return self._draft(form, cluster, array, list(hosts))

    def _draft(self, form: dict[str, Any], cluster: Cluster, array: Device, hosts: list[Device]) -> Draft:
        asked = _asked(array)
        known = [host for host in hosts if host.initiator in asked]
        method = _wanted_method(form, array, known, asked)
        if method is None:
            text = f"CHAP is {', '.join(Chap)}; another method is not known."
            return Draft("Set CHAP", checks=[Check("method is known", STOP, text)])
        title = f"Set CHAP {method} between {cluster.name} and {array.name}"
        if array.imported or any(host.imported for host in hosts):
            text = "Secrets are not written on a run sheet. Link the array and the hosts first."
            return Draft(title, checks=[Check("devices take secrets", STOP, text)])
        wanted = [host for host in known if form.get("renew") is True or not _is_set(host, array, asked, method)]
        if not wanted:
            text = f"CHAP is {method} for every host of {cluster.name} that {array.name} knows."
            return Draft(title, checks=[Check("something to change", STOP, text)])
        ends = _Ends.of(array)
        lanes = [_Lane(host, ends, method, asked[host.initiator]) for host in wanted]
        steps: list[StepSpec] = []
        for lane in lanes:
            steps += lane.steps(len(steps))
        facts = {f"CHAP of {lane.host.name}": f"{lane.on_array} on the array, {lane.on_host} on it" for lane in lanes}
        plan = ChapPlan(array.name, method, [host.name for host in known], len(known) - len(wanted))
        return Draft(title, steps, asdict(plan), [check for lane in lanes for check in lane.checks()], facts)

    def outcome(self, lot: Lot) -> dict[str, Any]:
        """Hosts with this method on both sides, before and after."""
        array = Device.objects.filter(name=lot.plan["array"]).first()
        hosts = Device.objects.filter(name__in=lot.plan["hosts"])
        asked = _asked(array) if array else {}
        done = sum(_is_set(host, array, asked, lot.plan["method"]) for host in hosts) if array else 0
        row = {
            "subject_kind": "array",
            "subject": lot.plan["array"],
            "figure": f"hosts with CHAP {lot.plan['method']}",
            "before": lot.plan["set_now"],
            "predicted": len(lot.plan["hosts"]),
            "measured": done,
            "note": "",
        }
        return {"rows": [row]}


def _wanted_method(form: dict[str, Any], array: Device, hosts: list[Device], asked: dict[str, str]) -> Chap | None:
    """The method of the form, else the stronger one of what both sides of ``hosts`` are set to; None if unknown."""
    if form.get("method"):
        return next((each for each in Chap if each == form["method"]), None)
    now = {asked[host.initiator] for host in hosts} | {host.chap.get(array.target, Chap.OFF) for host in hosts}
    return max((each for each in Chap if each in now), key=list(Chap).index, default=None)


def _is_set(host: Device, array: Device, asked: dict[str, str], method: str) -> bool:
    return bool(host.chap.get(array.target, Chap.OFF) == method == asked.get(host.initiator))


@dataclass(frozen=True)
class _Ends:
    """What all hosts meet at the array.

    ``uris`` are those of the initiators by name, ``addresses`` those of the portals by name, ``targets`` the array's
    own and its volumes', ``kept`` what the last lot set for each host.
    """

    array: Device
    uris: dict[str, str]
    addresses: dict[str, str]
    targets: frozenset[str]
    kept: dict[str, Values]

    @classmethod
    def of(cls, array: Device) -> _Ends:
        uris = dict(Initiator.objects.filter(device=array).values_list("identifier", "uri"))
        own = set(Volume.objects.filter(device=array).values_list("target", flat=True)) - {""}
        steps = Step.objects.filter(kind__in=SETTING, device=array, state=Step.State.DONE).order_by("ended_at")
        # Later ones overwrite earlier ones.
        kept = {params["host"]: params["wanted"] for params in steps.values_list("params", flat=True)}
        return cls(array, uris, addresses_of(array), frozenset({array.target, *own}), kept)


class _Lane:
    """What is done for one host."""

    def __init__(self, host: Device, ends: _Ends, method: Chap, on_array: str) -> None:
        self.host, self.ends, self.array, self.method, self.on_array = host, ends, ends.array, method, on_array
        self.on_host = str(host.chap.get(self.array.target, Chap.OFF))
        kept = ends.kept.get(host.name, {"method": str(Chap.OFF)})
        self.before = {"array": _before(on_array, kept), "host": _before(self.on_host, kept)}

    def __repr__(self) -> str:
        return f"<_Lane {self.host} to {self.array}: {self.on_host}/{self.on_array}, then {self.method}>"

    @property
    def forgets(self) -> bool:
        """Whether a secret that no lot set is overwritten."""
        return any(before is None for before in self.before.values())

    def steps(self, first: int) -> list[StepSpec]:
        """Both sides, then the logins; after all steps before position ``first``, so that hosts follow one another."""
        host, array, needs = self.host, self.array, tuple(range(first))[-1:]
        uri = self.ends.uris[host.initiator]
        wanted = _secrets(host, array, self.method)
        verb = "replace" if self.forgets else "set"
        on_array = {"host": host.name, "uri": uri, "wanted": wanted, "before": self._was("array")}
        on_host = {"host": host.name, "target": array.target, "wanted": wanted, "before": self._was("host")}
        title = f"Ask {host.name} for CHAP {self.method}" if self.method != Chap.OFF else f"Ask {host.name} for no CHAP"
        steps = [
            StepSpec(f"{verb}_array_chap", array.name, title, _detail(self.method), on_array, needs),
            StepSpec(
                f"{verb}_host_chap", host.name, f"Set CHAP on {host.name} to {self.method}", "", on_host, (first,)
            ),
        ]
        agreed = self.on_array if self.on_array == self.on_host else ""
        for target, pairs in sorted(host.sessions.items()):
            if not pairs or target not in self.ends.targets:
                continue
            params = {"host": host.name, "target": target, "pairs": pairs, "method": self.method}
            params |= {"address": self.ends.addresses[pairs[0][1]], "before": agreed}
            last = (first + len(steps) - 1,)
            detail = f"{len(pairs)} sessions, one after the other"
            steps.append(StepSpec("log_in_again", host.name, f"Log {host.name} in again", detail, params, last))
        return steps

    def _was(self, side: str) -> Values:
        before = self.before[side]
        return {"method": self.on_array if side == "array" else self.on_host} if before is None else before

    def checks(self) -> list[Check]:
        name, sessions = self.host.name, self.host.sessions.get(self.array.target, [])
        checks = []
        if self.forgets:
            text = f"{name} has a secret that no lot set: it is overwritten, and nothing brings it back."
            checks.append(Check("what was there is known", WARN, text))
        if len(sessions) == 1:
            text = f"{name} has one session: its I/O waits while that logs in again."
            checks.append(Check("paths stay meanwhile", WARN, text))
        elif sessions:
            text = f"{name} logs in again one session after the other; {len(sessions) - 1} of {len(sessions)} stay up"
            checks.append(Check("paths stay meanwhile", PASS, text))
        return checks


def _detail(method: Chap) -> str:
    secret = {Chap.OFF: "no secret", Chap.ONE_WAY: "a new secret of 24 characters", Chap.MUTUAL: "two new secrets"}
    return secret[method]


def _secrets(host: Device, array: Device, method: Chap) -> Values:
    """New secrets for a host and an array, sealed; each side's name is the one that it is known by anyway."""
    wanted: Values = {"method": str(method)}
    if method != Chap.OFF:
        wanted |= {"user": host.initiator, "secret": _sealed_secret()}
    if method == Chap.MUTUAL:
        wanted |= {"target_user": array.target, "target_secret": _sealed_secret()}
    return wanted


def _sealed_secret() -> str:
    return seal(secrets.token_urlsafe(SECRET_BYTES)).decode()


def _before(method: str, kept: Values) -> Values | None:
    """What is set now with its secrets, sealed; None where a secret is set that no lot did."""
    if method == Chap.OFF:
        return {"method": str(Chap.OFF)}
    return kept if kept["method"] == method else None
