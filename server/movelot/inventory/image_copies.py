"""Copies of disk images on Move Lot's own machine, between being brought in and being kept on a datastore.

Each is a sparse file with the raw contents of one disk. Several machines with workers share the folder.
"""

from __future__ import annotations

import errno
import os
from collections.abc import Iterator
from pathlib import Path

from django.conf import settings


def folder() -> Path:
    """Where they are; made where it is not there yet."""
    found = Path(settings.IMAGE_FOLDER)
    found.mkdir(parents=True, exist_ok=True, mode=0o700)
    return found


def copy_of(content: str) -> Path:
    """The raw copy that goes by ``content``; ValueError for what no copy is called."""
    if not content.isalnum():
        raise ValueError(f"{content!r} names no copy.")
    return folder() / f"{content}.raw"


def drop(content: str) -> None:
    """Take the copy away; one that is not there is away already."""
    copy_of(content).unlink(missing_ok=True)


def written(content: str, begin: int, length: int) -> Iterator[tuple[int, bytes]]:
    """[offset, data] of blocks of at most ``length`` that are not all zeros, from ``begin`` on, in order."""
    with copy_of(content).open("rb") as file:
        offset = begin
        while (offset := _next_data(file.fileno(), offset)) >= 0:
            # Up to the next hole: what is none of the image's data stays unwritten.
            hole = os.lseek(file.fileno(), offset, os.SEEK_HOLE)
            file.seek(offset)
            data = file.read(min(length, hole - offset))
            if any(data):
                yield offset, data
            offset += len(data) or length


def _next_data(number: int, offset: int) -> int:
    """Where data begins from ``offset`` on; -1 where there is none any more."""
    try:
        return os.lseek(number, offset, os.SEEK_DATA)
    except OSError as error:
        if error.errno == errno.ENXIO:
            return -1
        raise
