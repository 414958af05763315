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
from dataclasses import dataclass
from typing import Literal

import numpy as np
from django.db.models import prefetch_related_objects

from movelot.devices.sealing import seal
from movelot.fabric.connect.base import addresses_of
from movelot.inventory.clusters import cluster_named
from movelot.inventory.models import Cluster, Device, Initiator, Volume
from movelot.inventory.paths import ClusterPaths
from movelot.lots.documents import LotForm, LotPlan, names
from movelot.lots.kinds import PASS, STOP, WARN, Check, Draft, LotKind, MeasuredRow
from movelot.lots.models import Lot, Step
from movelot.lots.step_plan import AnyHandle, StepPlan
from movelot.lots.steps.chap import ChapValue, LogInAgain, ReplaceArrayChap, ReplaceHostChap, SetArrayChap, SetHostChap
from movelot_core.fabric.chap import Chap
from movelot_core.fabric.matrix import NONE
from movelot_core.fabric.transports import transport_of
from movelot_core.units import count_of

# 144 random bits; RFC 7143 asks for 96.
SECRET_BYTES = 18
SETTING = (SetArrayChap.kind, ReplaceArrayChap.kind)


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
class ChapPlan(LotPlan):
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
    prefetch_related_objects(paths.hosts, "known_targets__sessions")
    over = np.array([transport_of(portal.protocol).logs_in for portal in fabric.portals], dtype=bool)
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


@dataclass(frozen=True)
class ChapForm(LotForm):
    """Whose CHAP is set between a cluster and an array; with ``host`` for this one alone.

    Without a method it is the stronger one that either side is set to; ``renew`` makes new secrets where it is set.
    """

    cluster: str = names("cluster")
    array: str = names("array")
    method: Literal["", "off", "one-way", "mutual"] = ""
    renew: bool = False
    host: str = names("host")


class ChapKind(LotKind[ChapForm, ChapPlan]):
    """New secrets on both sides, then logins that prove them."""

    name, form, plan = "chap", ChapForm, ChapPlan

    def drafted(self, form: ChapForm, lot: Lot) -> Draft[ChapForm, ChapPlan]:
        cluster = cluster_named(form.cluster)
        array = Device.objects.filter(name=form.array, kind=Device.Kind.ARRAY).first()
        if array is None or not array.target or cluster is None:
            text = "The array has no iSCSI target, or the cluster is not known."
            return Draft("Set CHAP", checks=[Check("array is known", STOP, text)])
        hosts = cluster.devices.filter(kind=Device.Kind.HOST).exclude(initiator="").order_by("name")
        hosts = hosts.prefetch_related("known_targets__sessions")
        if form.host:
            hosts = hosts.filter(name=form.host)
        return self._draft(form, cluster, array, list(hosts))

    def _draft(self, form: ChapForm, cluster: Cluster, array: Device, hosts: list[Device]) -> Draft[ChapForm, ChapPlan]:
        asked = _asked(array)
        known = [host for host in hosts if host.initiator in asked]
        method = _wanted_method(form.method, array, known, asked)
        if method is None:
            text = f"No host of {cluster.name} is known to {array.name}, or says which method it is set to."
            return Draft("Set CHAP", checks=[Check("method is known", STOP, text)])
        title = f"Set CHAP {method} between {cluster.name} and {array.name}"
        if array.imported or any(host.imported for host in hosts):
            text = "Secrets are not written on a run sheet. Link the array and the hosts first."
            return Draft(title, checks=[Check("devices take secrets", STOP, text)])
        wanted = [host for host in known if form.renew or not _is_set(host, array, asked, method)]
        if not wanted:
            text = f"CHAP is {method} for every host of {cluster.name} that {array.name} knows."
            return Draft(title, checks=[Check("something to change", STOP, text)])
        ends = _Ends.of(array)
        lanes = [_Lane(host, ends, method, asked[host.initiator]) for host in wanted]
        steps, last = StepPlan(), list[AnyHandle]()
        for lane in lanes:
            last = lane.add(steps, last)
        facts = {f"CHAP of {lane.host.name}": f"{lane.on_array} on the array, {lane.on_host} on it" for lane in lanes}
        plan = ChapPlan(array.name, method, [host.name for host in known], len(known) - len(wanted))
        return Draft(title, steps, plan, [check for lane in lanes for check in lane.checks()], facts)

    def outcome(self, lot: Lot, plan: ChapPlan) -> list[MeasuredRow]:
        """Hosts with this method on both sides, before and after."""
        array = Device.objects.filter(name=plan.array).first()
        hosts = Device.objects.filter(name__in=plan.hosts).prefetch_related("known_targets")
        asked = _asked(array) if array else {}
        done = sum(_is_set(host, array, asked, plan.method) for host in hosts) if array else 0
        figure = f"hosts with CHAP {plan.method}"
        return [MeasuredRow("array", plan.array, figure, plan.set_now, len(plan.hosts), done)]


def _wanted_method(typed: str, array: Device, hosts: list[Device], asked: dict[str, str]) -> Chap | None:
    """The method as typed, else the stronger one of what both sides of ``hosts`` are set to; None if unknown."""
    if typed:
        return Chap(typed)
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
    kept: dict[str, ChapValue]

    @classmethod
    def of(cls, array: Device) -> _Ends:
        uris = dict(Initiator.objects.filter(device=array).values_list("identifier", "uri"))
        own = set(Volume.objects.filter(device=array).values_list("target", flat=True)) - {""}
        steps = Step.objects.filter(kind__in=SETTING, device=array, state=Step.State.DONE).order_by("ended_at")
        # Later ones overwrite earlier ones.
        kept = {params["host"]: ChapValue(**params["wanted"]) for params in steps.values_list("params", flat=True)}
        return cls(array, uris, addresses_of(array), frozenset({array.target, *own}), kept)


class _Lane:
    """What is done for one host."""

    def __init__(self, host: Device, ends: _Ends, method: Chap, on_array: str) -> None:
        self.host, self.ends, self.array, self.method, self.on_array = host, ends, ends.array, method, on_array
        self.on_host = str(host.chap.get(self.array.target, Chap.OFF))
        kept = ends.kept.get(host.name, ChapValue(method=str(Chap.OFF)))
        self.before = {"array": _before(on_array, kept), "host": _before(self.on_host, kept)}

    def __repr__(self) -> str:
        return f"<_Lane {self.host} to {self.array}: {self.on_host}/{self.on_array}, then {self.method}>"

    @property
    def forgets(self) -> bool:
        """Whether a secret that no lot set is overwritten."""
        return any(before is None for before in self.before.values())

    def add(self, plan: StepPlan, after: list[AnyHandle]) -> list[AnyHandle]:
        """Both sides, then the logins, one after the other; after those of the host before. The last of them."""
        host, array = self.host, self.array
        wanted = _secrets(host, array, self.method)
        ask = ReplaceArrayChap if self.forgets else SetArrayChap
        give = ReplaceHostChap if self.forgets else SetHostChap
        uri = self.ends.uris[host.initiator]
        on_array = ask(host=host.name, uri=uri, wanted=wanted, before=self._was("array"))
        on_host = give(host=host.name, target=array.target, wanted=wanted, before=self._was("host"))
        title = f"Ask {host.name} for CHAP {self.method}" if self.method != Chap.OFF else f"Ask {host.name} for no CHAP"
        last = plan.add(on_array.on(array.name, title, _detail(self.method)), after)
        last = plan.add(on_host.on(host.name, f"Set CHAP on {host.name} to {self.method}"), last)
        agreed = self.on_array if self.on_array == self.on_host else ""
        for target, pairs in sorted(host.sessions.items()):
            if not pairs or target not in self.ends.targets:
                continue
            again = LogInAgain(
                host=host.name,
                target=target,
                address=self.ends.addresses[pairs[0][1]],
                pairs=pairs,
                method=str(self.method),
                before=agreed,
            )
            detail = f"{count_of(len(pairs), 'session')}, one after the other"
            last = plan.add(again.on(host.name, f"Log {host.name} in again", detail), last)
        return [last]

    def _was(self, side: str) -> ChapValue:
        before = self.before[side]
        return ChapValue(method=self.on_array if side == "array" else self.on_host) if before is None else before

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


def _secrets(host: Device, array: Device, method: Chap) -> ChapValue:
    """New secrets for a host and an array, sealed; each side's name is the one that it is known by anyway."""
    values = {"method": str(method)}
    if method != Chap.OFF:
        values |= {"user": host.initiator, "secret": _sealed_secret()}
    if method == Chap.MUTUAL:
        values |= {"target_user": array.target, "target_secret": _sealed_secret()}
    return ChapValue(**values)


def _sealed_secret() -> str:
    return seal(secrets.token_urlsafe(SECRET_BYTES)).decode()


def _before(method: str, kept: ChapValue) -> ChapValue | None:
    """What is set now with its secrets, sealed; None where a secret is set that no lot did."""
    if method == Chap.OFF:
        return ChapValue(method=str(Chap.OFF))
    return kept if kept.method == method else None
