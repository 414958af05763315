"""Runs a lot: one driver per lot, steps side by side where the graph and the limits allow.

The driver keeps every step's state in the database before and after it speaks to a device, so that a worker killed
at any instant leaves each step waiting, running (its true state can be asked of the device) or done. A named lock
of the database connection makes sure that a lot has one driver; it goes with the connection, also on SIGKILL.
"""

from __future__ import annotations

import logging
import time
from collections.abc import Callable, Iterator
from concurrent.futures import FIRST_COMPLETED, Future, ThreadPoolExecutor, wait
from contextlib import contextmanager
from dataclasses import asdict, dataclass
from datetime import timedelta
from typing import Any

from django.conf import settings
from django.db import connection, transaction
from django.utils.timezone import now

from movelot.devices.errors import DeviceAway, DeviceError
from movelot.devices.reading import reread
from movelot.devices.session import session_with
from movelot.inventory.models import Device
from movelot.lots.drafting import graph_of
from movelot.lots.holding import let_go
from movelot.lots.kinds import MeasuredRow, kind_of
from movelot.lots.models import Lot, Step
from movelot.lots.pace import learn_from
from movelot.lots.steps.base import Progress, StepKind, StepProblem, StepRun, Unproven
from movelot.lots.stored import kind_of_step, step_of, told_by
from movelot.problems import Problem
from movelot_core.lots import Frontier, StepNode

log = logging.getLogger(__name__)

AWAY_PATIENCE_SECONDS = 30.0
RECKONED_EVERY_SECONDS = 2.0
THREADS = 8


@contextmanager
def sole_driver(lot_key: int) -> Iterator[bool]:
    """Whether this connection now is the lot's only driver; held until the block ends or the connection dies."""
    name = f"{connection.settings_dict['NAME']}-lot-{lot_key}"
    with connection.cursor() as cursor:
        cursor.execute("SELECT GET_LOCK(%s, 0)", [name])
        held = cursor.fetchone()[0] == 1
        try:
            yield held
        finally:
            if held:
                cursor.execute("SELECT RELEASE_LOCK(%s)", [name])


@dataclass
class Job:
    """A call to a device that is under way in a thread."""

    step: Step
    future: Future[Progress[Any]]


class Driver:
    """Drives one lot to its end."""

    def __init__(self, lot: Lot) -> None:
        self.lot = lot
        self.steps = {str(step.position): step for step in lot.steps.select_related("device")}
        nodes = (
            StepNode(key, s.device.name, s.estimate_seconds, frozenset(map(str, s.needs)), tuple(s.slots))
            for key, s in self.steps.items()
        )
        self.frontier = Frontier(graph_of(nodes, lot.barriers), self._keys(Step.State.DONE), self._running())
        self.reckoned = 0.0
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
                self._collect()
                self._start(threads)
                if not self.jobs and not self._running():
                    break
                self._pause()
        self._close()

    def _pause(self) -> None:
        """Until a call returns, or running work is to be asked about again."""
        if self.jobs:
            wait([job.future for job in self.jobs.values()], settings.LOT_POLL_SECONDS, FIRST_COMPLETED)
        else:
            time.sleep(settings.LOT_POLL_SECONDS / 2)

    def _keys(self, state: str) -> list[str]:
        return [key for key, step in self.steps.items() if step.state == state]

    def _running(self) -> list[str]:
        return self._keys(Step.State.RUNNING)

    @property
    def _going_on(self) -> bool:
        """New steps may begin: nobody halted, nothing failed."""
        return self.lot.state == Lot.State.RUNNING and not self._keys(Step.State.FAILED)

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
        seconds = graph_of(nodes, barriers).makespan_seconds()
        Lot.objects.filter(pk=self.lot.pk).update(expected_at=now() + timedelta(seconds=seconds))

    def _ask(self, threads: ThreadPoolExecutor, key: str) -> None:
        """Begin, follow or stop a step in a thread; what it needs of the database is fetched here."""
        step = self.steps[key]
        call: Callable[[], Progress[Any]]
        try:
            kind = step_of(step, self.steps)
            run = StepRun(step.key, session_with(step.device), step.task_uri, told_by(step) if step.result else None)
        except StepProblem as problem:
            self._stopped(key, step, problem)
            return
        if self.lot.state == Lot.State.HALTING and run.task_uri and key not in self.stop_asked:
            self.stop_asked.add(key)
            call = lambda: (kind.stop(run), kind.follow(run))[1]  # noqa: E731
        elif run.task_uri:
            call = lambda: _proven(kind.follow(run), kind, run)  # noqa: E731
        else:
            call = lambda: _proven(kind.begin(run), kind, run)  # noqa: E731
        self.jobs[key] = Job(step, threads.submit(call))

    def _collect(self) -> None:
        for key, job in list(self.jobs.items()):
            if not job.future.done():
                continue
            del self.jobs[key]
            self.ask_after[key] = time.monotonic() + settings.LOT_POLL_SECONDS
            try:
                self._progressed(job.step, job.future.result())
                self.away_since.pop(key, None)
            except StepProblem as problem:
                self._stopped(key, job.step, problem)
            except Unproven as unproven:
                job.step.result, job.step.touched = _document(unproven.progress), True
                self._stopped(key, job.step, unproven.problem)
            except DeviceAway as error:
                self._unreachable(key, job.step, error)
            except DeviceError as error:
                job.step.touched |= kind_of_step(job.step).piecewise
                self._stopped(key, job.step, _refusal(error))

    def _progressed(self, step: Step, progress: Progress[Any]) -> None:
        step.task_uri, step.result = progress.task_uri, _document(progress)
        if progress.work:
            step.done_amount, step.per_second = progress.work.done, progress.work.per_second
            step.total_amount = progress.work.total
        if progress.done:
            step.state, step.ended_at = Step.State.DONE, now()
            step.done_amount, step.problem = step.total_amount, {}
            self.frontier.release(str(step.position), done=True)
        step.save()

    def _unreachable(self, key: str, step: Step, error: DeviceAway) -> None:
        """A device that is away for a moment is asked again: the step's begin finds out what became of the call."""
        since = self.away_since.setdefault(key, time.monotonic())
        if time.monotonic() - since > AWAY_PATIENCE_SECONDS or self.lot.state == Lot.State.HALTING:
            self._stopped(
                key,
                step,
                StepProblem(
                    error.code,
                    error.message,
                    "What the device did last is not known; it is asked when the lot goes on.",
                    "Bring the device back, then continue the lot.",
                ),
            )
            return
        step.problem = {
            "code": error.code,
            "device": error.device,
            "message": error.message,
            "unchanged": "",
            "hint": "Trying again.",
        }
        step.save(update_fields=["problem"])

    def _stopped(self, key: str, step: Step, problem: StepProblem) -> None:
        abandoned = key in self.stop_asked and problem.code == "work_ended"
        step.state = Step.State.ABANDONED if abandoned else Step.State.FAILED
        step.problem = {} if abandoned else problem.document(step.device.name)
        step.ended_at, step.per_second = now(), 0
        self.frontier.release(key, done=False)
        step.save()
        if not abandoned:
            log.warning("lot %s step %s failed: %s", self.lot.pk, step.position, problem.message)

    def _close(self) -> None:
        """Read the devices again, measure, and set the lot's last state."""
        reread(Device.objects.filter(step__lot=self.lot).distinct())
        self.lot.refresh_from_db()
        done = len(self._keys(Step.State.DONE))
        if done == len(self.steps):
            state = Lot.State.DONE
        elif self._keys(Step.State.FAILED):
            state = Lot.State.FAILED
        else:
            state = Lot.State.HALTED
        self.lot.outcome = {"rows": self._outcome() if state == Lot.State.DONE else []}
        self.lot.state, self.lot.ended_at = state, now()
        with transaction.atomic():
            self.lot.save()
            let_go(self.lot)
        learn_from(self.lot)
        log.info("lot %s: %s, %s of %s steps done", self.lot.pk, state, done, len(self.steps))

    def _outcome(self) -> list[dict[str, Any]]:
        """What was predicted beside what is measured now."""
        kind = kind_of(self.lot.kind)
        try:
            plan = kind.plan_of(self.lot)
            rows = kind.outcome(self.lot, plan) if plan else []
        except Problem as problem:
            # What ran has run, whether or not it can be said what was expected of it.
            log.warning("lot %s: its outcome is not measured: %s", self.lot.pk, problem.title)
            rows = [MeasuredRow("lot", str(self.lot.pk), "outcome", None, None, None, f"not measured: {problem.title}")]
        return [asdict(row) for row in rows]


def _seconds_left(step: Step) -> float:
    """What a step still takes: a running copy at the rate it has now, any other as it was expected to."""
    if step.state == Step.State.RUNNING and step.per_second > 0:
        return (step.total_amount - step.done_amount) / step.per_second
    return step.estimate_seconds


def _document(progress: Progress[Any]) -> dict[str, Any]:
    """What a step told so far, to be stored."""
    return progress.result.model_dump(mode="json") if progress.result else {}


def _proven(progress: Progress[Any], kind: StepKind[Any], run: StepRun[Any]) -> Progress[Any]:
    """``progress``, once its effect was verified on the device if it claims to be done. Raises Unproven."""
    if progress.done:
        result = progress.result or kind.told({})
        try:
            kind.verify(StepRun(run.key, run.session, progress.task_uri, result), result)
        except DeviceAway:
            # It is asked again, and so is the step's begin.
            raise
        except (StepProblem, DeviceError) as cause:
            problem = cause if isinstance(cause, StepProblem) else _refusal(cause)
            raise Unproven(problem, progress, kind.reversible) from cause
    return progress


def _refusal(error: DeviceError) -> StepProblem:
    unchanged, hint = "What was done before this step stays.", "Settle it on the device, then continue the lot."
    return StepProblem(error.code, error.message, unchanged, hint)
