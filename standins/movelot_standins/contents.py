"""What guests wrote: a sparse file for each disk and image, made as it is first written; what nobody wrote is zero."""

from __future__ import annotations

import errno
import os
import shutil
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path


class Contents:
    """The sparse files, in a folder of their own, by what their disk or image is known by."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder
        folder.mkdir(parents=True, exist_ok=True)

    def _path(self, identity: str) -> Path:
        # Disks of the scenario are named by people.
        return self.folder / identity.replace("/", "_")

    @contextmanager
    def _opened(self, identity: str, flags: int) -> Iterator[int]:
        number = os.open(self._path(identity), flags, 0o600)
        try:
            yield number
        finally:
            os.close(number)

    def write(self, identity: str, offset: int, data: bytes) -> None:
        """Put ``data`` there."""
        with self._opened(identity, os.O_WRONLY | os.O_CREAT) as number:
            os.pwrite(number, data, offset)

    def read(self, identity: str, offset: int, length: int) -> bytes:
        """What is there, zeros where nothing was written."""
        if not self._path(identity).exists():
            return bytes(length)
        with self._opened(identity, os.O_RDONLY) as number:
            return os.pread(number, length, offset).ljust(length, b"\0")

    def extents(self, identity: str) -> list[tuple[int, int]]:
        """[offset, length] of what was written, in order."""
        if not self._path(identity).exists():
            return []
        found, end = list[tuple[int, int]](), 0
        with self._opened(identity, os.O_RDONLY) as number:
            while True:
                try:
                    begin = os.lseek(number, end, os.SEEK_DATA)
                except OSError as error:
                    if error.errno == errno.ENXIO:
                        return found
                    raise
                end = os.lseek(number, begin, os.SEEK_HOLE)
                found.append((begin, end - begin))

    def written_bytes(self, identity: str) -> int:
        """How much was written."""
        return sum(length for _offset, length in self.extents(identity))

    def copy(self, source: str, target: str) -> None:
        """Make ``target`` what ``source`` is, holes included."""
        self.drop(target)
        for offset, length in self.extents(source):
            for at in range(offset, offset + length, 1 << 20):
                self.write(target, at, self.read(source, at, min(1 << 20, offset + length - at)))

    def drop(self, identity: str) -> None:
        """Forget it."""
        self._path(identity).unlink(missing_ok=True)

    def clear(self) -> None:
        """Forget all."""
        shutil.rmtree(self.folder)
        self.folder.mkdir()
