"""Steps on CHAP: what an array asks of an initiator, what a host gives, and logging in anew so that it counts.

Secrets stand sealed in the params, are opened only to be sent, and are never told by a device: what is verified is the
method, and the sessions of the login that follows.
"""

from __future__ import annotations

from abc import abstractmethod
from typing import Any, ClassVar

from movelot.devices import array, host
from movelot.devices.chap import chap_body
from movelot.lots.steps.base import Progress, StepKind, StepRun, StepSpec, demand
from movelot.lots.steps.connections import Pairs
from movelot.lots.steps.swapping import Swap
from movelot.lots.steps.values import Document, Nothing
from movelot_core.fabric.chap import Chap


class ChapValue(Document):
    """A method with the names and sealed secrets that it needs; ``target_`` those of the array, for mutual CHAP."""

    method: str
    user: str = ""
    secret: str = ""
    target_user: str = ""
    target_secret: str = ""


class SetChap(Swap):
    """``host`` is the name of the host that logs in."""

    what: ClassVar[str] = ""

    host: str
    wanted: ChapValue
    before: ChapValue

    @abstractmethod
    def method_now(self, run: StepRun[Nothing]) -> str:
        """The method as the device tells it."""

    @abstractmethod
    def put(self, run: StepRun[Nothing], body: dict[str, Any]) -> None:
        """Set the method with its secrets."""

    def begin(self, run: StepRun[Nothing]) -> Progress[Nothing]:
        wanted, before = self.wanted, self.before
        now = self.method_now(run)
        message = f"CHAP was {before.method} when the lot was drafted and is {now} now."
        self.demand_known(now in (wanted.method, before.method), "chap_changed", message)
        # A secret cannot be asked for: it is written again, which is harmless.
        self.put(run, chap_body(wanted.model_dump(exclude_defaults=True)))
        return Progress(True)

    def look(self, run: StepRun[Nothing]) -> Progress[Nothing] | None:
        return self.as_proven(run)

    def verify(self, run: StepRun[Nothing], result: Nothing) -> None:
        now, wanted = self.method_now(run), self.wanted.method
        demand(now == wanted, "chap_differs", f"CHAP is {now} on {run.session.name}, not {wanted}.")

    def undo(self, result: Nothing) -> StepSpec[Any] | None:
        return self.swapped().on("", f"Set CHAP {self.what} back to {self.before.method}", self.host)


class SetArrayChap(SetChap):
    """``uri`` is that of the initiator on the array."""

    kind = "set_array_chap"
    proof = "the array asks this initiator for this method"
    what = "on the array"

    uri: str

    def method_now(self, run: StepRun[Nothing]) -> str:
        return array.chap_of(run.session.get(self.uri))

    def put(self, run: StepRun[Nothing], body: dict[str, Any]) -> None:
        etag = str(run.session.get(self.uri).get("@odata.etag", ""))
        run.session.patch(self.uri, {"Oem": {"Kestrel": {"Chap": body}}}, etag)


class SetHostChap(SetChap):
    """``target`` is the IQN that the host gives it to."""

    kind = "set_host_chap"
    proof = "the host gives this method to the target"
    what = "on the host"

    target: str

    def method_now(self, run: StepRun[Nothing]) -> str:
        return host.chap_with(run.session).get(self.target, Chap.OFF)

    def put(self, run: StepRun[Nothing], body: dict[str, Any]) -> None:
        host.act(run.session, "SetChap", Target=self.target, Chap=body)


class ReplaceArrayChap(SetArrayChap):
    """As its parent, where the secret that was there is not known."""

    kind = "replace_array_chap"
    reversible = False

    def undo(self, result: Nothing) -> None:
        """Nothing brings back a secret that nobody told; a lot with this step cannot be undone."""


class ReplaceHostChap(SetHostChap):
    """As its parent, where the secret that was there is not known."""

    kind = "replace_host_chap"
    reversible = False

    def undo(self, result: Nothing) -> None:
        """Nothing brings back a secret that nobody told; a lot with this step cannot be undone."""


class LogInAgain(StepKind[Nothing]):
    """Log in anew with a method, one session after the other, none of ``pairs`` missing afterwards.

    ``before`` is the method that was there, empty where the two sides did not agree: then no login can take it back,
    and the sessions stay.
    """

    kind = "log_in_again"
    proof = "the host lists the same sessions, each with this method"

    host: str
    target: str
    address: str
    pairs: Pairs
    method: str
    before: str

    def begin(self, run: StepRun[Nothing]) -> Progress[Nothing]:
        # With another secret of the same method nothing shows whether it is done: it is harmless to do it again.
        host.act(run.session, "LogIn", Target=self.target, DiscoveryAddress=self.address, Again=True)
        return Progress(True)

    def look(self, run: StepRun[Nothing]) -> Progress[Nothing] | None:
        return self.as_proven(run)

    def verify(self, run: StepRun[Nothing], result: Nothing) -> None:
        now = host.session_methods(run.session, self.target)
        lost = [f"{port} to {portal}" for port, portal in self.pairs if (port, portal) not in now]
        other = [f"{port} to {portal}" for (port, portal), method in now.items() if method != self.method]
        demand(not lost, "not_logged_in", f"{run.session.name} is not logged in over {', '.join(lost)}.")
        demand(
            not other, "chap_differs", f"{run.session.name} is logged in with another method over {', '.join(other)}."
        )

    def undo(self, result: Nothing) -> StepSpec[Any] | None:
        if not self.before:
            return None
        back = LogInAgain(**{**dict(self), "method": self.before, "before": self.method})
        # Only once both sides are set back does a login agree.
        return back.on("", f"Log in again with CHAP {self.before}", self.target, last=True)
