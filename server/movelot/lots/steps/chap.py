"""Steps on CHAP: what an array asks of an initiator, what a host gives, and logging in anew so that it counts.

Secrets stand sealed in the params, are opened only to be sent, and are never told by a device: what is verified is the
method, and the sessions of the login that follows.
"""

from __future__ import annotations

from typing import Any

from movelot.devices import array, host
from movelot.devices.chap import chap_body
from movelot.lots.steps.base import Progress, StepKind, StepRun, StepSpec, Values, demand
from movelot_core.fabric.chap import Chap


class SetChap(StepKind):
    """Params: wanted and before, each {method, user, secret, target_user, target_secret}; secrets sealed, as text."""

    what = ""

    def method_now(self, run: StepRun) -> str:
        raise NotImplementedError

    def put(self, run: StepRun, body: dict[str, Any]) -> None:
        raise NotImplementedError

    def begin(self, run: StepRun) -> Progress:
        wanted, before = run.params["wanted"], run.params["before"]
        now = self.method_now(run)
        demand(
            now in (wanted["method"], before["method"]),
            "chap_changed",
            f"CHAP was {before['method']} when the lot was drafted and is {now} now.",
            hint="Draft the lot again from a fresh reading.",
        )
        # A secret cannot be asked for: it is written again, which is harmless.
        self.put(run, chap_body(wanted))
        return Progress(True)

    def verify(self, run: StepRun) -> None:
        now, wanted = self.method_now(run), run.params["wanted"]["method"]
        demand(now == wanted, "chap_differs", f"CHAP is {now} on {run.session.name}, not {wanted}.")

    def undo(self, params: Values, result: Values) -> StepSpec | None:
        swapped = {**params, "wanted": params["before"], "before": params["wanted"]}
        title = f"Set CHAP {self.what} back to {params['before']['method']}"
        return StepSpec(self.name, "", title, params["host"], swapped)


class SetArrayChap(SetChap):
    """Params too: host, uri of the initiator."""

    name = "set_array_chap"
    proof = "the array asks this initiator for this method"
    what = "on the array"

    def method_now(self, run: StepRun) -> str:
        return array.chap_of(run.session.get(run.params["uri"]))

    def put(self, run: StepRun, body: dict[str, Any]) -> None:
        etag = str(run.session.get(run.params["uri"]).get("@odata.etag", ""))
        run.session.patch(run.params["uri"], {"Oem": {"Kestrel": {"Chap": body}}}, etag)


class SetHostChap(SetChap):
    """Params too: host, target."""

    name = "set_host_chap"
    proof = "the host gives this method to the target"
    what = "on the host"

    def method_now(self, run: StepRun) -> str:
        return host.chap_with(run.session).get(run.params["target"], Chap.OFF)

    def put(self, run: StepRun, body: dict[str, Any]) -> None:
        host.act(run.session, "SetChap", Target=run.params["target"], Chap=body)


class ReplaceArrayChap(SetArrayChap):
    """As its parent, where the secret that was there is not known."""

    name = "replace_array_chap"
    reversible = False

    def undo(self, params: Values, result: Values) -> None:
        """Nothing brings back a secret that nobody told; a lot with this step cannot be undone."""


class ReplaceHostChap(SetHostChap):
    """As its parent, where the secret that was there is not known."""

    name = "replace_host_chap"
    reversible = False

    def undo(self, params: Values, result: Values) -> None:
        """Nothing brings back a secret that nobody told; a lot with this step cannot be undone."""


class LogInAgain(StepKind):
    """Params: host, target, address, pairs, method and before (methods). One session after the other, none missing.

    ``before`` is empty where the two sides did not agree: then no login can take it back, and the sessions stay.
    """

    name = "log_in_again"
    proof = "the host lists the same sessions, each with this method"

    def begin(self, run: StepRun) -> Progress:
        # With another secret of the same method nothing shows whether it is done: it is harmless to do it again.
        body = {"Target": run.params["target"], "DiscoveryAddress": run.params["address"], "Again": True}
        host.act(run.session, "LogIn", **body)
        return Progress(True)

    def verify(self, run: StepRun) -> None:
        now = host.session_methods(run.session, run.params["target"])
        lost = [f"{port} to {portal}" for port, portal in run.params["pairs"] if (port, portal) not in now]
        other = [f"{port} to {portal}" for (port, portal), method in now.items() if method != run.params["method"]]
        demand(not lost, "not_logged_in", f"{run.session.name} is not logged in over {', '.join(lost)}.")
        demand(
            not other, "chap_differs", f"{run.session.name} is logged in with another method over {', '.join(other)}."
        )

    def undo(self, params: Values, result: Values) -> StepSpec | None:
        if not params["before"]:
            return None
        swapped = {**params, "method": params["before"], "before": params["method"]}
        title = f"Log in again with CHAP {params['before']}"
        # Only once both sides are set back does a login agree.
        return StepSpec(self.name, "", title, params["target"], swapped, last=True)
