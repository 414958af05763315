"""Steps on a host's connections to an array: to an NVMe subsystem or an iSCSI target, made and taken back.

Both work alike: one address is asked what there is (discovery), then the host connects over all of its pairs of port
and portal. The words are those of the standards.
"""

from __future__ import annotations

from abc import abstractmethod
from typing import Any, ClassVar

from movelot.devices import host
from movelot.lots.steps.base import Progress, StepKind, StepRun, StepSpec, Values, demand

Pairs = list[list[str]]


class Connections(StepKind):
    """Params: what is connected to (``nqn`` or ``target``), address; wanted and before, each [port, portal] pairs."""

    part: ClassVar[str]
    verb: ClassVar[str]
    body_name: ClassVar[str]

    @abstractmethod
    def now(self, run: StepRun) -> Pairs:
        """The pairs over which the host is connected now."""

    def act(self, run: StepRun, **body: Any) -> None:
        host.act(run.session, self.verb, **{self.body_name: run.params[self.part]}, **body)

    def missing(self, run: StepRun) -> Pairs:
        now = self.now(run)
        return [pair for pair in run.params["wanted"] if pair not in now]

    def surplus(self, run: StepRun) -> Pairs:
        return [pair for pair in self.now(run) if pair not in run.params["wanted"]]


class Connecting(Connections):
    """Connects over the wanted pairs; harmless where it is already."""

    opposite: ClassVar[str]
    failed: ClassVar[tuple[str, str]]
    undo_title: ClassVar[str]

    def begin(self, run: StepRun) -> Progress:
        if self.missing(run):
            self.act(run, DiscoveryAddress=run.params["address"])
        return Progress(True)

    def verify(self, run: StepRun) -> None:
        missing = self.missing(run)
        named = ", ".join(f"{port} to {portal}" for port, portal in missing)
        code, word = self.failed
        demand(
            not missing,
            code,
            f"{run.session.name} is not {word} over {named}.",
            "The connections that were made stay.",
            "Check the paths of this host.",
        )

    def undo(self, params: Values, result: Values) -> StepSpec:
        swapped = {**params, "wanted": params["before"], "before": params["wanted"]}
        return StepSpec(self.opposite, "", self.undo_title, f"{len(params['before'])} stay", swapped, last=True)


class Leaving(Connections):
    """Leaves all but the wanted pairs. The host refuses while it mounts over what would go."""

    opposite: ClassVar[str]
    word: ClassVar[str]

    def begin(self, run: StepRun) -> Progress:
        if self.surplus(run):
            self.act(run, Keep=[{"Port": port, "Portal": portal} for port, portal in run.params["wanted"]])
        return Progress(True)

    def verify(self, run: StepRun) -> None:
        demand(
            not self.surplus(run), f"still_{self.word}", f"{run.session.name} is still {self.word.replace('_', ' ')}."
        )

    def undo(self, params: Values, result: Values) -> StepSpec:
        swapped = {**params, "wanted": params["before"], "before": params["wanted"]}
        return StepSpec(self.opposite, "", "Connect again", params[self.part], swapped)


class Subsystem(Connections):
    """An NVMe subsystem, by its NQN."""

    part, body_name = "nqn", "NQN"

    def now(self, run: StepRun) -> Pairs:
        return host.connections_to(run.session, run.params["nqn"])


class Target(Connections):
    """An iSCSI target, by its IQN."""

    part, body_name = "target", "Target"

    def now(self, run: StepRun) -> Pairs:
        return host.sessions_with(run.session, run.params["target"])


class ConnectSubsystem(Subsystem, Connecting):
    """Discover and connect."""

    name, verb, opposite = "connect_subsystem", "ConnectSubsystem", "disconnect_subsystem"
    proof = "the host lists a connection to the subsystem for each of its paths"
    failed = ("not_connected", "connected")
    undo_title = "Take the new connections back"


class DisconnectSubsystem(Subsystem, Leaving):
    """Disconnect but for the pairs that stay."""

    name, verb, opposite = "disconnect_subsystem", "DisconnectSubsystem", "connect_subsystem"
    proof = "the host lists no other connection to the subsystem than those that stay"
    word = "connected"


class LogIn(Target, Connecting):
    """Ask one portal for the others, and log in over all of them."""

    name, verb, opposite = "log_in", "LogIn", "log_out"
    proof = "the host lists a session with the target for each of its paths"
    failed = ("not_logged_in", "logged in")
    undo_title = "Log out of the new sessions"


class LogOut(Target, Leaving):
    """Log out but for the pairs that stay."""

    name, verb, opposite = "log_out", "LogOut", "log_in"
    proof = "the host lists no other session with the target than those that stay"
    word = "logged_in"
