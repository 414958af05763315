"""Steps that keep disk images on datastores and copy them, or other disks, into disks of machines."""

from __future__ import annotations

import time
from typing import Any

from movelot.devices import blocks, host
from movelot.devices.work import Work, find_work
from movelot.inventory import image_copies
from movelot.inventory.models import Device
from movelot.lots.steps.base import Progress, StepKind, StepRun, StepSpec, demand
from movelot.lots.steps.machine_disks import OnDisk
from movelot.lots.steps.touches import Room, Touched
from movelot.lots.steps.values import Later, Nothing, Result
from movelot_core.units import format_size

# How long blocks are written before it is said how far that has come.
PIECE_SECONDS = 1.0
AT = "at:"


class ImageMade(Result):
    """What the hosts know the image by."""

    identity: str


class MakeImage(StepKind[ImageMade]):
    """An image that is all zeros, on a datastore by its identity; ``content`` is what it is made by."""

    kind = "make_image"
    proof = "the host lists the image, in its size and place"

    name: str
    content: str
    size_bytes: int
    data_bytes: int
    datastore: str
    datastore_name: str

    def touches(self, device: Device) -> list[Touched]:
        return [Touched("image", self.content, self.name)]

    @property
    def room(self) -> Room:
        return Room(self.datastore, self.data_bytes)

    def begin(self, run: StepRun[ImageMade]) -> Progress[ImageMade]:
        found = blocks.find_image(run.session, self.content)
        if found is None:
            sizes = {"CapacityBytes": self.size_bytes, "WrittenBytes": self.data_bytes}
            host.act(run.session, "MakeImage", Name=self.name, Key=self.content, Datastore=self.datastore, **sizes)
            found = blocks.find_image(run.session, self.content)
        demand(found is not None, "not_made", f"{run.session.name} does not list the image {self.name}.")
        return Progress(True, ImageMade(identity=(found or {})["identity"]))

    def verify(self, run: StepRun[ImageMade], result: ImageMade) -> None:
        found = blocks.find_image(run.session, self.content) or {}
        right = found.get("size_bytes") == self.size_bytes and found.get("datastore") == self.datastore
        demand(right, "not_made", f"{self.name} is not on {self.datastore_name}.")

    def undo(self, result: ImageMade) -> StepSpec[Any]:
        delete = DeleteImage(name=self.name, content=self.content)
        return delete.on("", f"Delete image {self.name}", "made by this lot")


class DeleteImage(StepKind[Nothing]):
    """What was made of it stays as it is."""

    kind = "delete_image"
    proof = "the host no longer lists the image"
    reversible = False

    name: str
    content: str

    def touches(self, device: Device) -> list[Touched]:
        return [Touched("image", self.content, self.name)]

    def begin(self, run: StepRun[Nothing]) -> Progress[Nothing]:
        found = blocks.find_image(run.session, self.content)
        if found is not None:
            host.act(run.session, "DeleteImage", Image=found["identity"])
        return Progress(True)

    def verify(self, run: StepRun[Nothing], result: Nothing) -> None:
        gone = blocks.find_image(run.session, self.content) is None
        demand(gone, "not_deleted", f"{run.session.name} still lists the image {self.name}.")

    def undo(self, result: Nothing) -> None:
        return None


class WriteImage(StepKind[Nothing]):
    """Data goes from the copy on Move Lot's machine into the image, zeros left out; it is read back to its SHA-256.

    It is written piece by piece: what is followed is how far that has come.
    """

    kind = "write_image"
    proof = "all of the image, read back, has the SHA-256 that the copy has"
    piecewise = True

    name: str
    image: Later[str]
    content: str
    sha256: str
    size_bytes: int
    data_bytes: int

    @property
    def amount(self) -> float:
        return float(self.size_bytes)

    def begin(self, run: StepRun[Nothing]) -> Progress[Nothing]:
        return self._piece(run, 0)

    def follow(self, run: StepRun[Nothing]) -> Progress[Nothing]:
        return self._piece(run, int(run.task_uri.removeprefix(AT)))

    def look(self, run: StepRun[Nothing]) -> Progress[Nothing] | None:
        return self.as_proven(run)

    def _piece(self, run: StepRun[Nothing], begin: int) -> Progress[Nothing]:
        """Blocks from ``begin`` on, for a moment."""
        copied = image_copies.copy_of(self.content).exists()
        text = f"The copy of {self.name} is no longer on Move Lot's machine."
        demand(copied, "copy_gone", text, hint="Bring the image in again.")
        started, first = time.monotonic(), begin
        for offset, data in image_copies.written(self.content, begin, blocks.BLOCK_BYTES):
            blocks.write_block(run.session, str(self.image), offset, data)
            at, seconds = offset + len(data), time.monotonic() - started
            if seconds > PIECE_SECONDS:
                work = Work("Running", float(at), float(self.size_bytes), (at - first) / seconds, "")
                return Progress(False, task_uri=f"{AT}{at}", work=work)
        return Progress(True)

    def stop(self, run: StepRun[Nothing]) -> bool:
        # No device is at it but while it is asked to: it is let finish.
        return False

    def verify(self, run: StepRun[Nothing], result: Nothing) -> None:
        found = blocks.digest_of(run.session, str(self.image), self.size_bytes)
        demand(found == self.sha256, "not_the_same", f"{self.name} reads back as other data than was written.")

    def undo(self, result: Nothing) -> None:
        return None


class MadeFrom(OnDisk[Nothing]):
    """A step after which the disk, of a machine that is off, is made from a ``source`` by its identity."""

    source: str
    source_name: str
    data_bytes: int

    def _filled(self, run: StepRun[Nothing]) -> bool:
        return (self.the_disk(run) or {}).get("filled_from") == self.source

    def verify(self, run: StepRun[Nothing], result: Nothing) -> None:
        message = f"{self.name} is not made from {self.source_name} ({format_size(self.data_bytes)})."
        demand(self._filled(run), "not_filled", message)

    def undo(self, result: Nothing) -> None:
        # The disk itself is deleted by the step that takes back its making.
        return None


class LinkDisk(MadeFrom):
    """Has an empty thin disk share the blocks of another in its volume set; nothing is copied."""

    kind = "link_disk"
    proof = "the machine lists the disk as made from it"

    def begin(self, run: StepRun[Nothing]) -> Progress[Nothing]:
        if not self._filled(run):
            host.act(run.session, "LinkDisk", Machine=self.machine, Disk=self.disk, Source=self.source)
        return Progress(True)


class FillDisk(MadeFrom):
    """Copies an image, or a disk of a machine that is off, by its identity, into the disk of a machine that is off."""

    kind = "fill_disk"
    proof = "the machine lists the disk as made from it"

    def begin(self, run: StepRun[Nothing]) -> Progress[Nothing]:
        if self._filled(run):
            return Progress(True)
        monitor = find_work(run.session, run.key)
        if not monitor:
            known = {"Machine": self.machine, "Disk": self.disk, "Source": self.source}
            _status, _body, monitor = host.act(run.session, "FillDisk", Key=run.key, **known)
        return Progress(False, task_uri=monitor)
