"""Files of jobs: what a request brought for a job, and what a job made to be fetched.

They are kept in the database in parts, as jobs are done by whichever worker is free, on whichever machine. What was
brought is deleted once its job has ended, what was made when the job is.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from contextlib import contextmanager
from tempfile import SpooledTemporaryFile
from typing import IO

from movelot.jobs.models import FilePart, Job

# A database takes no more than 16 MiB at once, unless it was told to.
PART_BYTES = 4 * 1024**2
IN_MEMORY_BYTES = 16 * 1024**2


def keep(job: Job, chunks: Iterable[bytes], out: bool) -> None:
    """Keep a file of the job, given in chunks of any size; what was kept before is replaced."""
    job.parts.filter(out=out).delete()
    for number, content in enumerate(_in_parts(chunks)):
        FilePart.objects.create(job=job, out=out, number=number, content=content)


def _in_parts(chunks: Iterable[bytes]) -> Iterator[bytes]:
    rest = bytearray()
    for chunk in chunks:
        rest += chunk
        while len(rest) >= PART_BYTES:
            yield bytes(rest[:PART_BYTES])
            del rest[:PART_BYTES]
    if rest:
        yield bytes(rest)


def parts_of(job: Job, out: bool) -> Iterator[bytes]:
    """The parts of a job's file in their order, one at a time."""
    for key in list(job.parts.filter(out=out).order_by("number").values_list("pk", flat=True)):
        yield bytes(FilePart.objects.get(pk=key).content)


@contextmanager
def opened(job: Job, out: bool = False) -> Iterator[IO[bytes]]:
    """A job's file, to be read while the block runs."""
    with SpooledTemporaryFile(max_size=IN_MEMORY_BYTES) as found:
        for part in parts_of(job, out):
            found.write(part)
        found.seek(0)
        yield found
