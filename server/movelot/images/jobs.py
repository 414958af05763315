"""The job that brings an image in: received, its checksum compared, opened, its disks copied out."""

from __future__ import annotations

import uuid
from dataclasses import dataclass

from django.db import IntegrityError, transaction

from movelot.images.descriptor import package_of
from movelot.images.models import Image, ImageDisk
from movelot.images.opening import DISKS_MAX, Opened, open_file
from movelot.images.receiving import ImageRefused, Tell, check_sum, fetch, incoming
from movelot.inventory.image_copies import drop
from movelot.jobs.work import Cancelled, JobKind, Running
from movelot.problems import Problem

State = Image.State


@dataclass
class BroughtIn:
    """The image, and what became of it."""

    image: int
    state: str


class BringIn(JobKind[BroughtIn]):
    """Goes on where an earlier worker was; a file that is not taken is deleted, and why is kept with the image."""

    name = "bring_in_image"
    result = BroughtIn

    def do(self, running: Running) -> BroughtIn:
        image = Image.objects.filter(pk=running.params["image"]).first()
        if image is None:
            raise Problem(404, "image_missing", "The image was deleted meanwhile.", "Nothing was received.")
        try:
            _bring_in(image, running)
        except ImageRefused as refused:
            _failed(image, str(refused))
        except Problem as problem:
            _failed(image, problem.title)
        except OSError as error:
            # The disk of this machine is full, or the file is gone from it.
            _failed(image, f"Move Lot's own machine could not keep the file: {error.strerror or error}.")
        except Cancelled:
            _failed(image, "It was cancelled.")
            raise
        state = Image.objects.filter(pk=image.pk).values_list("state", flat=True).first()
        return BroughtIn(image.pk, str(state or "deleted"))


def _bring_in(image: Image, running: Running) -> None:
    if image.state == State.RECEIVING and not image.uploaded:
        fetch(image, lambda done, total: running.progress(f"receiving {image.name}", done, total))
    Image.objects.filter(pk=image.pk).update(state=State.RECEIVED)
    running.progress(f"checking {image.name}", 0, 1)
    digest = check_sum(image)
    running.progress(f"opening {image.name}", 0, 1)
    contents = [uuid.uuid4().hex for _ in range(DISKS_MAX)]
    try:
        found = open_file(incoming(image), contents)
        if found.wants:
            found = _put_together(image, found.wants, contents, running)
    except BaseException:
        _drop(contents)
        raise
    _drop(contents[len(found.disks) :])
    try:
        _keep(image, digest, found, contents)
    except IntegrityError as error:
        _drop(contents)
        raise ImageRefused("It was deleted meanwhile.") from error
    incoming(image).unlink(missing_ok=True)


def _put_together(image: Image, wants: list[str], contents: list[str], running: Running) -> Opened:
    """What a descriptor and the files that it names are together."""

    def said(name: str) -> Tell:
        return lambda done, total: running.progress(f"receiving {name}", done, total)

    package = package_of(image, wants, said)
    try:
        running.progress(f"opening {image.name}", 0, 1)
        return open_file(package, contents).model_copy(update={"format": "ovf"})
    finally:
        package.unlink(missing_ok=True)


@transaction.atomic
def _keep(image: Image, digest: str, found: Opened, contents: list[str]) -> None:
    image.disks.all().delete()
    ImageDisk.objects.bulk_create(
        ImageDisk(image=image, number=n, content=content, **disk.model_dump())
        for n, (disk, content) in enumerate(zip(found.disks, contents, strict=False), start=1)
    )
    Image.objects.filter(pk=image.pk).update(
        state=State.CHECKED,
        reason="",
        sha256=digest,
        format=found.format,
        os=found.os[:64],
        processors=min(found.processors, 1024),
        memory_bytes=min(found.memory_bytes, 2**50),
        file_bytes=incoming(image).stat().st_size,
    )


def _failed(image: Image, reason: str) -> None:
    incoming(image).unlink(missing_ok=True)
    Image.objects.filter(pk=image.pk).update(state=State.FAILED, reason=reason[:500], received_bytes=0)


def _drop(contents: list[str]) -> None:
    for content in contents:
        drop(content)
