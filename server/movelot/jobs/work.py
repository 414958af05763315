"""Kinds of jobs, and what a job does: it is asked for in a request, done by a worker, followed by a page.

A kind is registered by the room that it works in. It is safe to be done again from its beginning, as it is when the
worker that was at it died.
"""

from __future__ import annotations

import logging
import time
from abc import ABC, abstractmethod
from collections.abc import Callable, Iterable
from contextlib import AbstractContextManager
from dataclasses import asdict
from datetime import timedelta
from typing import IO, Any, ClassVar, Generic, Protocol, TypeVar

from django.db import transaction
from django.db.models import Q
from django.utils.timezone import now

from movelot.accounts.models import User
from movelot.jobs import files
from movelot.jobs.locks import held
from movelot.jobs.models import Job
from movelot.jobs.sending import give
from movelot.problems import Problem, document_of

log = logging.getLogger(__name__)
State = Job.State
# Progress is written down no more often than this.
WRITTEN_EVERY_SECONDS = 0.3
# How often the schedule looks for work that nobody is at.
TAKEN_UP_SECONDS = 20


# Told what is done, and how much of how much; says whether to end with what there is.
Watch = Callable[[str, int, int], bool]


class Cancelled(Exception):
    """Somebody asked the job to end."""


class Running:
    """A job while it is done: its params, who asked for it, and where it tells how far it has come."""

    def __init__(self, job: Job) -> None:
        self.job, self.params = job, job.params
        self._written = 0.0
        self._ended = False

    @property
    def person(self) -> User:
        """Who asked for it. Problem 409 where nobody of that name is known any more."""
        if self.job.asked_by is None:
            message = "Who asked for this is not known any more."
            raise Problem(409, "person_gone", message, "Nothing was changed.", "Ask for it anew.")
        return self.job.asked_by

    def brought(self) -> AbstractContextManager[IO[bytes]]:
        """The file that the job was given, to be read while the block runs."""
        return files.opened(self.job)

    def made(self, chunks: Iterable[bytes]) -> None:
        """Keep the file that the job made, to be fetched for as long as the job is kept."""
        files.keep(self.job, chunks, out=True)

    def progress(self, text: str, done: int = 0, total: int = 0) -> None:
        """Tell how far the job has come. Raises Cancelled where somebody asked it to end."""
        if self.asked_to_end(text, done, total):
            raise Cancelled

    def asked_to_end(self, text: str, done: int = 0, total: int = 0) -> bool:
        """Tell how far the job has come; whether somebody asked it to end, for work that has something even then."""
        if time.monotonic() - self._written >= WRITTEN_EVERY_SECONDS or done >= total:
            self._written = time.monotonic()
            Job.objects.filter(pk=self.job.pk).update(text=text[:200], done=done, total=total)
            self._ended = Job.objects.filter(pk=self.job.pk, cancel_asked=True).exists()
        return self._ended


class Answers(Protocol):
    """A dataclass, which says what a kind of job comes to."""

    __dataclass_fields__: ClassVar[dict[str, Any]]


R_co = TypeVar("R_co", bound=Answers, covariant=True)


class JobKind(ABC, Generic[R_co]):
    """One kind of job and what it comes to. ``queue`` is whose workers do it."""

    name: ClassVar[str]
    result: type[Answers]
    queue: ClassVar[str] = "heavy"
    # The name and media type of the file that it makes, if any.
    makes: ClassVar[tuple[str, str] | None] = None
    # Whether what it comes to is its asker's alone: two people who ask for the same have a job each.
    personal: ClassVar[bool] = False

    @abstractmethod
    def do(self, running: Running) -> R_co:
        """Do it; returns the result. Raises Problem, or Cancelled."""


AnyJobKind = JobKind[Any]
KINDS: dict[str, AnyJobKind] = {}


def register(*kinds: AnyJobKind) -> None:
    """Make kinds known; called when the application starts."""
    for kind in kinds:
        KINDS[kind.name] = kind


def start(kind: str, params: dict[str, Any], person: User, brought: Iterable[bytes] = ()) -> Job:
    """Ask for a job. The same that still waits or runs is that one, whoever asked: nothing is done twice side by side.

    Of a personal kind it is the same only for the same person.

    ``brought`` is the file that it is to work on, if any; ``params`` have to tell such a file from any other.
    """
    same = Job.objects.filter(kind=kind, state__in=[State.WAITING, State.RUNNING], cancel_asked=False)
    if KINDS[kind].personal:
        same = same.filter(asked_by=person)
    found = next((job for job in same if job.params == params), None)
    if found is not None:
        return found
    with transaction.atomic():
        job = Job.objects.create(kind=kind, params=params, asked_by=person)
        files.keep(job, brought, out=False)
        send(job)
    return job


def send(job: Job, **options: Any) -> None:
    """Give a job to the workers, once it is stored."""
    from movelot.jobs.tasks import do_job

    key, queue = job.pk, KINDS[job.kind].queue
    transaction.on_commit(lambda: give(do_job, key, queue=queue, **options))


def cancel(job: Job) -> None:
    """Ask a job to end; one that no worker has begun ends at once."""
    waited = Job.objects.filter(pk=job.pk, state=State.WAITING).update(state=State.CANCELLED, ended_at=now())
    if waited:
        job.parts.filter(out=False).delete()
    Job.objects.filter(pk=job.pk, state=State.RUNNING).update(cancel_asked=True)
    job.refresh_from_db()


def do(key: int) -> None:
    """Do a job, unless another worker is at it or it has ended."""
    with held(f"job-{key}") as mine:
        begun = mine and Job.objects.filter(pk=key, state__in=[State.WAITING, State.RUNNING]).update(
            state=State.RUNNING, started_at=now()
        )
        if begun:
            _do(Job.objects.select_related("asked_by").get(pk=key))


def _do(job: Job) -> None:
    state, problem = State.DONE, None
    result: dict[str, Any] = {}
    try:
        result = asdict(KINDS[job.kind].do(Running(job)))
    except Cancelled:
        state = State.CANCELLED
    except Exception as error:
        state, problem = State.FAILED, document_of(error)
        if not isinstance(error, Problem):
            log.exception("job %s failed", job)
    Job.objects.filter(pk=job.pk).update(state=state, result=result, problem=problem, ended_at=now())
    job.parts.filter(out=False).delete()


def take_up() -> None:
    """Give jobs that a worker left in their middle to another one, and those that were lost with Redis' queues.

    One that still waits in its queue is given once more, until the next round: what is taken from a queue after its
    job has begun does nothing.
    """
    lost = Q(state=State.WAITING, asked_at__lt=now() - timedelta(seconds=TAKEN_UP_SECONDS))
    for job in Job.objects.filter(Q(state=State.RUNNING) | lost):
        with held(f"job-{job.pk}") as free:
            pass
        if free:
            send(job, expires=TAKEN_UP_SECONDS)
