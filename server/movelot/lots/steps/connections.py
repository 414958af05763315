"""Steps on a host's connections to an array: to an NVMe subsystem or an iSCSI target, made and taken back.

Both work alike: one address is asked what there is (discovery), then the host connects over all of its pairs of port
and portal. The words are those of the standards.
"""

from __future__ import annotations

from abc import abstractmethod
from typing import Any, ClassVar

from movelot.devices import host
from movelot.lots.steps.base import Progress, StepRun, StepSpec, demand
from movelot.lots.steps.swapping import Swap
from movelot.lots.steps.values import Later, Nothing

Pairs = list[list[str]]


class Connections(Swap):
    """``wanted`` and ``before`` are [port, portal] pairs; ``address`` is asked what there is."""

    verb: ClassVar[str]

    address: str
    wanted: Pairs
    before: Pairs

    @property
    @abstractmethod
    def end(self) -> dict[str, str]:
        """What is connected to, as the host's action wants it."""

    @abstractmethod
    def now(self, run: StepRun[Nothing]) -> Pairs:
        """The pairs over which the host is connected now."""

    @abstractmethod
    def opposite(self) -> Connections:
        """The step that brings back the pairs that were there before."""

    def act(self, run: StepRun[Nothing], **body: Any) -> None:
        host.act(run.session, self.verb, **self.end, **body)

    def missing(self, run: StepRun[Nothing]) -> Pairs:
        now = self.now(run)
        return [pair for pair in self.wanted if pair not in now]

    def surplus(self, run: StepRun[Nothing]) -> Pairs:
        return [pair for pair in self.now(run) if pair not in self.wanted]


class Connecting(Connections):
    """Connects over the wanted pairs; harmless where it is already."""

    failed: ClassVar[tuple[str, str]]
    undo_title: ClassVar[str]

    def begin(self, run: StepRun[Nothing]) -> Progress[Nothing]:
        if self.missing(run):
            self.act(run, DiscoveryAddress=self.address)
        return Progress(True)

    def verify(self, run: StepRun[Nothing], result: Nothing) -> None:
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

    def undo(self, result: Nothing) -> StepSpec[Any]:
        return self.opposite().on("", self.undo_title, f"{len(self.before)} stay", last=True)


class Leaving(Connections):
    """Leaves all but the wanted pairs. The host refuses while it mounts over what would go."""

    word: ClassVar[str]

    def begin(self, run: StepRun[Nothing]) -> Progress[Nothing]:
        if self.surplus(run):
            self.act(run, Keep=[{"Port": port, "Portal": portal} for port, portal in self.wanted])
        return Progress(True)

    def verify(self, run: StepRun[Nothing], result: Nothing) -> None:
        demand(
            not self.surplus(run), f"still_{self.word}", f"{run.session.name} is still {self.word.replace('_', ' ')}."
        )

    def undo(self, result: Nothing) -> StepSpec[Any]:
        return self.opposite().on("", "Connect again", *self.end.values())


class Subsystem(Connections):
    """An NVMe subsystem, by its NQN."""

    nqn: str

    @property
    def end(self) -> dict[str, str]:
        return {"NQN": self.nqn}

    def now(self, run: StepRun[Nothing]) -> Pairs:
        return host.connections_to(run.session, self.nqn)


class Target(Connections):
    """An iSCSI target, by its IQN."""

    target: Later[str]

    @property
    def end(self) -> dict[str, str]:
        return {"Target": self.target}

    def now(self, run: StepRun[Nothing]) -> Pairs:
        return host.sessions_with(run.session, self.target)


class ConnectSubsystem(Subsystem, Connecting):
    """Discover and connect."""

    kind, verb = "connect_subsystem", "ConnectSubsystem"
    proof = "the host lists a connection to the subsystem for each of its paths"
    failed = ("not_connected", "connected")
    undo_title = "Take the new connections back"

    def opposite(self) -> Connections:
        return DisconnectSubsystem(**dict(self.swapped()))


class DisconnectSubsystem(Subsystem, Leaving):
    """Disconnect but for the pairs that stay."""

    kind, verb = "disconnect_subsystem", "DisconnectSubsystem"
    proof = "the host lists no other connection to the subsystem than those that stay"
    word = "connected"

    def opposite(self) -> Connections:
        return ConnectSubsystem(**dict(self.swapped()))


class LogIn(Target, Connecting):
    """Ask one portal for the others, and log in over all of them."""

    kind, verb = "log_in", "LogIn"
    proof = "the host lists a session with the target for each of its paths"
    failed = ("not_logged_in", "logged in")
    undo_title = "Log out of the new sessions"

    def opposite(self) -> Connections:
        return LogOut(**dict(self.swapped()))


class LogOut(Target, Leaving):
    """Log out but for the pairs that stay."""

    kind, verb = "log_out", "LogOut"
    proof = "the host lists no other session with the target than those that stay"
    word = "logged_in"

    def opposite(self) -> Connections:
        return LogIn(**dict(self.swapped()))
