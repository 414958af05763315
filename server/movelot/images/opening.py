"""Opening a received file in a process of its own, and keeping raw copies of its disks (see ``open_image``)."""

from __future__ import annotations

import json
import os
import subprocess
import sys
from contextlib import ExitStack
from pathlib import Path
from typing import Any

from django.conf import settings
from pydantic import BaseModel, ValidationError

from movelot.images.receiving import ImageRefused
from movelot.inventory.image_copies import copy_of

SCRIPT = Path(__file__).with_name("open_image.py")
DISKS_MAX = 16
MEMORY_BYTES = 1024**3
OPEN_SECONDS = 3600


class OpenedDisk(BaseModel):
    """A disk whose raw copy was written."""

    size_bytes: int
    data_bytes: int
    sha256: str


class Opened(BaseModel):
    """What a file turned out to be; a descriptor alone ``wants`` the files that it names, and has no disks itself."""

    format: str
    disks: list[OpenedDisk]
    wants: list[str] = []
    os: str = ""
    processors: int = 0
    memory_bytes: int = 0


def open_file(path: Path, contents: list[str]) -> Opened:
    """What the file at ``path`` is; its disks are the first of the copies called ``contents``, the others are empty.

    Raises ImageRefused with the reason.
    """
    with ExitStack() as stack:
        source = stack.enter_context(path.open("rb"))
        outs = [stack.enter_context(copy_of(content).open("wb")) for content in contents]
        numbers = [out.fileno() for out in outs]
        asked = {
            "source": source.fileno(),
            "outs": numbers,
            "most_bytes": settings.IMAGE_MOST_BYTES,
            "memory_bytes": MEMORY_BYTES,
            "seconds": OPEN_SECONDS,
        }
        told = _told(asked)
    if "refused" in told:
        raise ImageRefused(str(told["refused"]))
    try:
        return Opened.model_validate(told)
    except ValidationError as error:
        raise ImageRefused("The file could not be read.") from error


def _told(asked: dict[str, Any]) -> dict[str, Any]:
    """What the process said; ImageRefused where it was ended for its limits, or by the file."""
    command = [sys.executable, "-I", str(SCRIPT), json.dumps(asked)]
    files = [asked["source"], *asked["outs"]]
    try:
        done = subprocess.run(
            command, pass_fds=files, env={}, cwd=os.sep, capture_output=True, timeout=OPEN_SECONDS, check=False
        )
    except subprocess.TimeoutExpired as error:
        raise ImageRefused(f"The file could not be read within {OPEN_SECONDS // 60} minutes.") from error
    if done.returncode != 0:
        raise ImageRefused("The file could not be read within the limits of memory and size: it is damaged or made to.")
    told: dict[str, Any] = json.loads(done.stdout)
    return told
