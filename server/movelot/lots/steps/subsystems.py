"""Steps on a host's connections to an NVMe subsystem: discover and connect, disconnect."""

from __future__ import annotations

from movelot.devices import host
from movelot.lots.steps.base import Progress, StepKind, StepRun, StepSpec, Values, demand


class ConnectSubsystem(StepKind):
    """Params: nqn, address (of a discovery service), and wanted and before, each [port, portal] pairs."""

    name = "connect_subsystem"
    proof = "the host lists a connection to the subsystem for each of its paths"

    def begin(self, run: StepRun) -> Progress:
        if not _missing(run):
            return Progress(True)
        host.act(run.session, "ConnectSubsystem", NQN=run.params["nqn"], DiscoveryAddress=run.params["address"])
        return Progress(True)

    def verify(self, run: StepRun) -> None:
        missing = _missing(run)
        named = ", ".join(f"{port} to {portal}" for port, portal in missing)
        demand(
            not missing,
            "not_connected",
            f"{run.session.name} is not connected over {named}.",
            "The connections that were made stay.",
            "Check the paths of this host.",
        )

    def undo(self, params: Values, result: Values) -> StepSpec:
        return StepSpec(
            DisconnectSubsystem.name,
            "",
            "Take the new connections back",
            f"{len(params['before'])} connections stay",
            {**params, "wanted": params["before"], "before": params["wanted"]},
            last=True,
        )


class DisconnectSubsystem(StepKind):
    """Params: nqn, address, wanted (the pairs that stay) and before. The host refuses while it mounts from it."""

    name = "disconnect_subsystem"
    proof = "the host lists no other connection to the subsystem than those that stay"

    def begin(self, run: StepRun) -> Progress:
        if _surplus(run):
            keep = [{"Port": port, "Portal": portal} for port, portal in run.params["wanted"]]
            host.act(run.session, "DisconnectSubsystem", NQN=run.params["nqn"], Keep=keep)
        return Progress(True)

    def verify(self, run: StepRun) -> None:
        demand(not _surplus(run), "still_connected", f"{run.session.name} is still connected to the subsystem.")

    def undo(self, params: Values, result: Values) -> StepSpec:
        return StepSpec(
            ConnectSubsystem.name,
            "",
            "Connect again",
            params["nqn"],
            {**params, "wanted": params["before"], "before": params["wanted"]},
        )


def _missing(run: StepRun) -> list[list[str]]:
    now = host.connections_to(run.session, run.params["nqn"])
    return [pair for pair in run.params["wanted"] if pair not in now]


def _surplus(run: StepRun) -> list[list[str]]:
    now = host.connections_to(run.session, run.params["nqn"])
    return [pair for pair in now if pair not in run.params["wanted"]]
