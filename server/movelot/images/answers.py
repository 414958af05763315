"""Images and depots as pages show them."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable
from dataclasses import dataclass
from datetime import datetime

from movelot.images.models import Depot, Image, ImageDisk
from movelot.inventory import image_copies
from movelot.inventory.models import Disk, StoredImage

SAID = {"sha1": "SHA-1", "md5": "MD5"}


@dataclass
class ImageDiskAnswer:
    """A disk of an image; ``datastore`` keeps it, empty for none yet."""

    number: int
    size_bytes: int
    data_bytes: int
    sha256: str
    datastore: str


@dataclass
class ImageAnswer:
    """An image. ``state``: receiving, received, checked, ready (a datastore keeps all of it), failed, or gone: no copy
    of it is left anywhere. ``note`` says what there is to know of its checksum.
    """

    id: int
    name: str
    source: str
    uploaded: bool
    state: str
    reason: str
    note: str
    sha256: str
    file_bytes: int
    received_bytes: int
    format: str
    os: str
    processors: int
    memory_bytes: int
    disks: list[ImageDiskAnswer]
    used_by: int
    by: str
    at: datetime


@dataclass
class DepotAnswer:
    """A depot; ``own_certificate``: compared with its own rather than by known authorities."""

    id: int
    url: str
    own_certificate: bool
    added_by: str
    added_at: datetime


@dataclass
class ImagesAnswer:
    """All images by name, and the depots that they may come from."""

    images: list[ImageAnswer]
    depots: list[DepotAnswer]
    part_bytes: int


@dataclass
class SourceAnswer:
    """What a new disk may be made from: a kept image's disk, by primary key.

    ``processors`` and ``memory_bytes`` are those that its package asks for, 0 where it asks for none.
    """

    id: int
    name: str
    size_bytes: int
    datastore: str
    processors: int
    memory_bytes: int


def depot_answer(depot: Depot) -> DepotAnswer:
    return DepotAnswer(depot.pk, depot.url, bool(depot.certificate_pem), depot.added_by, depot.added_at)


def image_answers(images: Iterable[Image]) -> list[ImageAnswer]:
    """With where their disks are kept, and how many disks were made of them."""
    found = list(images)
    contents = [disk.content for image in found for disk in image.disks.all()]
    stored = {each.key: each for each in StoredImage.objects.filter(key__in=contents).select_related("datastore")}
    identities = [each.identity for each in stored.values()]
    made = Counter(Disk.objects.filter(filled_from__in=identities).values_list("filled_from", flat=True))
    return [_answer(image, stored, made) for image in found]


def _answer(image: Image, stored: dict[str, StoredImage], made: Counter[str]) -> ImageAnswer:
    disks = list(image.disks.all())
    kept = [stored[disk.content] for disk in disks if disk.content in stored]
    return ImageAnswer(
        image.pk,
        image.name,
        image.source,
        image.uploaded,
        _state(image, len(kept)),
        image.reason,
        _note(image),
        image.sha256,
        image.file_bytes,
        image.received_bytes,
        image.format,
        image.os,
        image.processors,
        image.memory_bytes,
        [
            ImageDiskAnswer(
                disk.number,
                disk.size_bytes,
                disk.data_bytes,
                disk.sha256,
                stored[disk.content].datastore.name if disk.content in stored else "",
            )
            for disk in disks
        ],
        sum(made[each.identity] for each in kept),
        image.by,
        image.at,
    )


def _state(image: Image, kept: int) -> str:
    disks = list(image.disks.all())
    if image.state != Image.State.CHECKED or not disks:
        return str(image.state)
    if kept == len(disks):
        return "ready"
    here = all(image_copies.copy_of(disk.content).exists() for disk in disks)
    return str(image.state) if here else "gone"


def _note(image: Image) -> str:
    kind = image.checksum.partition(":")[0]
    if not image.sha256:
        return ""
    if not kind:
        return "checksum computed here: nobody said what it has to be"
    if kind in SAID:
        return f"checksum compared by {SAID[kind]}, which finds damage and no forgery"
    return "checksum as it was given"


def sources() -> list[SourceAnswer]:
    """The disks of images that datastores keep, by name; those that others made there as well."""
    rows = list(StoredImage.objects.select_related("datastore").order_by("name"))
    disks = ImageDisk.objects.filter(content__in=[row.key for row in rows]).select_related("image")
    images = {disk.content: disk.image for disk in disks}
    return [_source(row, images.get(row.key)) for row in rows]


def _source(row: StoredImage, image: Image | None) -> SourceAnswer:
    processors, memory = (image.processors, image.memory_bytes) if image else (0, 0)
    return SourceAnswer(row.pk, row.name, row.size_bytes, row.datastore.name, processors, memory)
