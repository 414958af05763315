"""Runs a lot: one driver per lot, steps side by side where the graph and the limits allow.

The driver keeps every step's state in the database before and after it speaks to a device, so that a worker killed
at any instant leaves each step waiting, running (its true state can be asked of the device) or done. A named lock
of the database connection makes sure that a lot has one driver; it goes with the connection, also on SIGKILL.
"""

from __future__ import annotations

import logging
import time
from collections.abc import Callable
from concurrent.futures import FIRST_COMPLETED, Future, ThreadPoolExecutor, wait
from dataclasses import dataclass
from datetime import timedelta
from typing import Any

from django.conf import settings
from django.utils.timezone import now

from movelot.devices.errors import DeviceAway
from movelot.devices.session import session_with
from movelot.lots.closing import close
from movelot.lots.drafting import graph_of
from movelot.lots.models import Lot, Step
from movelot.lots.pace import learn_from
from movelot.lots.recording import fail, leave_unknown, proven, record
from movelot.lots.steps.base import Progress, StepProblem, StepRun
from movelot.lots.stored import step_of, told_by
from movelot_core.lots import Frontier, StepNode

log = logging.getLogger(__name__)

RECKONED_EVERY_SECONDS = 2.0
SAID_EVERY_SECONDS = 3.0
THREADS = 8


@dataclass
class Job:
    """A call to a device that is under way in a thread."""

    step: Step
    future: Future[Progress[Any] | None]


class Driver:
    """Drives one lot to its end."""

    def __init__(self, lot: Lot) -> None:
        self.lot = lot
        self.steps = {str(step.position): step for step in lot.steps.select_related("device")}
        nodes = (
            StepNode(key, s.device.name, s.estimate_seconds, frozenset(map(str, s.needs)), tuple(s.slots))
            for key, s in self.steps.items()
        )
        self.frontier = Frontier(
            graph_of(nodes, lot.barriers, lot.limits), self._keys(Step.State.DONE), self._running()
        )
        self.reckoned = self.said = 0.0
        self.jobs: dict[str, Job] = {}
        self.away_since: dict[str, float] = {}
        self.stop_asked: set[str] = set()
        self.ask_after: dict[str, float] = {}

    def __repr__(self) -> str:
        return f"<Driver of {self.lot}, {len(self.jobs)} calls under way>"

    def run(self) -> None:
        """Until nothing runs and nothing more may start; then read the devices and close the lot."""
        log.info("lot %s: begins with %s steps", self.lot.pk, len(self.steps))
        with ThreadPoolExecutor(max_workers=THREADS) as threads:
            while True:
                self.lot.refresh_from_db()
                self._say_that_it_is_driven()
                self._collect()
                self._start(threads)
                if not self.jobs and not self._running():
                    break
                self._pause()
        close(self.lot)
        # Not where steps are settled later: these took as long as their device was away.
        learn_from(self.lot)
        self.lot.refresh_from_db()

    def _pause(self) -> None:
        """Until a call returns, or running work is to be asked about again."""
        if self.jobs:
            wait([job.future for job in self.jobs.values()], settings.LOT_POLL_SECONDS, FIRST_COMPLETED)
        else:
            time.sleep(settings.LOT_POLL_SECONDS / 2)

    def _say_that_it_is_driven(self) -> None:
        if time.monotonic() - self.said > SAID_EVERY_SECONDS or not self.said:
            self.said = time.monotonic()
            Lot.objects.filter(pk=self.lot.pk).update(driven_at=now())

    def _keys(self, state: str) -> list[str]:
        return [key for key, step in self.steps.items() if step.state == state]

    def _running(self) -> list[str]:
        return self._keys(Step.State.RUNNING)

    @property
    def _going_on(self) -> bool:
        """New steps may begin: nobody halted, nothing failed or is unknown, its window has not ended."""
        stopped = self._keys(Step.State.FAILED) or self._keys(Step.State.UNKNOWN)
        return self.lot.state == Lot.State.RUNNING and not stopped and not self.lot.window_over

    def _start(self, threads: ThreadPoolExecutor) -> None:
        for key in self._running():
            if key not in self.jobs and time.monotonic() >= self.ask_after.get(key, 0.0):
                self._ask(threads, key)
        if not self._going_on:
            return
        for key in self.frontier.take():
            step = self.steps[key]
            step.state, step.started_at = Step.State.RUNNING, step.started_at or now()
            step.save(update_fields=["state", "started_at"])
            self._ask(threads, key)
        self._reckon()

    def _reckon(self) -> None:
        """Say every few seconds when the lot will be done: running copies at their rate now, others as expected."""
        if time.monotonic() - self.reckoned < RECKONED_EVERY_SECONDS:
            return
        self.reckoned = time.monotonic()
        left = {key: step for key, step in self.steps.items() if step.state in (Step.State.WAITING, Step.State.RUNNING)}
        barriers = [[need for need in needs if need < 0 or str(need) in left] for needs in self.lot.barriers]
        nodes = (
            StepNode(
                key,
                step.device.name,
                _seconds_left(step),
                frozenset(str(need) for need in step.needs if need < 0 or str(need) in left),
                tuple(step.slots),
            )
            for key, step in left.items()
        )
        seconds = graph_of(nodes, barriers, self.lot.limits).makespan_seconds()
        Lot.objects.filter(pk=self.lot.pk).update(expected_at=now() + timedelta(seconds=seconds))

    def _ask(self, threads: ThreadPoolExecutor, key: str) -> None:
        """Begin, follow or stop a step in a thread; what it needs of the database is fetched here."""
        step = self.steps[key]
        call: Callable[[], Progress[Any] | None]
        try:
            kind = step_of(step, self.steps)
            run = StepRun(step.key, session_with(step.device), step.task_uri, told_by(step) if step.result else None)
        except StepProblem as problem:
            fail(step, problem)
            self._release(key, step)
            return
        halting = self.lot.state == Lot.State.HALTING
        if halting and run.task_uri and key not in self.stop_asked:
            self.stop_asked.add(key)
            call = lambda: (kind.stop(run), kind.follow(run))[1]  # noqa: E731
        elif run.task_uri:
            call = lambda: proven(kind.follow(run), kind, run)  # noqa: E731
        elif halting:
            # Its answer was lost, or its worker killed: what was halted is not begun once more.
            call = lambda: (seen := kind.look(run)) and proven(seen, kind, run)  # noqa: E731
        else:
            call = lambda: proven(kind.begin(run), kind, run)  # noqa: E731
        self.jobs[key] = Job(step, threads.submit(call))

    def _collect(self) -> None:
        for key, job in list(self.jobs.items()):
            if not job.future.done():
                continue
            del self.jobs[key]
            self.ask_after[key] = time.monotonic() + settings.LOT_POLL_SECONDS
            try:
                record(job.step, job.future.result, halted=self.lot.state == Lot.State.HALTING)
            except DeviceAway as error:
                self._unreachable(key, job.step, error)
            else:
                self.away_since.pop(key, None)
            self._release(key, job.step)

    def _release(self, key: str, step: Step) -> None:
        """Let those begin that wait for a step which has ended."""
        if step.state != Step.State.RUNNING:
            self.frontier.release(key, done=step.state == Step.State.DONE)

    def _unreachable(self, key: str, step: Step, error: DeviceAway) -> None:
        """A device that is away for a moment is asked again, also while a person waits for the halt of the lot."""
        since = self.away_since.setdefault(key, time.monotonic())
        if time.monotonic() - since > settings.AWAY_PATIENCE_SECONDS:
            leave_unknown(step, error)
            return
        step.problem = StepProblem(error.code, error.message, hint="Trying again.").document(error.device)
        step.save(update_fields=["problem"])


def _seconds_left(step: Step) -> float:
    """What a step still takes: a running copy at the rate it has now, any other as it was expected to."""
    if step.state == Step.State.RUNNING and step.per_second > 0:
        return (step.total_amount - step.done_amount) / step.per_second
    return step.estimate_seconds
