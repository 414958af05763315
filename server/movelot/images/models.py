"""Disk images that people bring in, and the depots that they may come from."""

from __future__ import annotations

import uuid

from django.db import models


class Depot(models.Model):
    """Where images may be fetched from: all addresses that begin with ``url``, which ends in a slash.

    Its certificate is compared with ``certificate_pem``; where that is empty, by the authorities that the system knows.
    """

    url = models.CharField(max_length=255, unique=True)
    certificate_pem = models.TextField(blank=True)
    added_by = models.CharField(max_length=150)
    added_at = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["url"]

    def __str__(self) -> str:
        return self.url


class Image(models.Model):
    """A file with one disk or more, from a depot (``source`` is its address) or uploaded (its name).

    It is received, then checked: its checksum, what it is, that all of it can be read. From then on there are raw
    copies of its disks on Move Lot's own machine, until these are kept on a datastore.
    """

    class State(models.TextChoices):
        RECEIVING = "receiving"
        RECEIVED = "received"
        CHECKED = "checked"
        FAILED = "failed"

    name = models.CharField(max_length=64, unique=True)
    source = models.CharField(max_length=500)
    uploaded = models.BooleanField(default=False)
    state = models.CharField(max_length=12, choices=State, default=State.RECEIVING)
    reason = models.CharField(max_length=500, blank=True)
    # What the file's checksum has to be, as sha256:…, md5:…, sha1:…; empty where nobody said.
    checksum = models.CharField(max_length=80, blank=True)
    sha256 = models.CharField(max_length=64, blank=True)
    file_bytes = models.BigIntegerField(default=0)
    received_bytes = models.BigIntegerField(default=0)
    # What the depot called this version of the file: another one is not gone on with.
    tag = models.CharField(max_length=200, blank=True)
    format = models.CharField(max_length=16, blank=True)
    os = models.CharField(max_length=64, blank=True)
    processors = models.PositiveIntegerField(default=0)
    memory_bytes = models.BigIntegerField(default=0)
    by = models.CharField(max_length=150)
    at = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["name"]

    def __str__(self) -> str:
        return self.name


def _content() -> str:
    return uuid.uuid4().hex


class ImageDisk(models.Model):
    """A disk of an image; ``sha256`` is that of its raw contents, ``content`` names its copies everywhere."""

    image = models.ForeignKey(Image, on_delete=models.CASCADE, related_name="disks")
    number = models.PositiveSmallIntegerField()
    size_bytes = models.BigIntegerField()
    data_bytes = models.BigIntegerField()
    sha256 = models.CharField(max_length=64)
    content = models.CharField(max_length=32, unique=True, default=_content)

    class Meta:
        ordering = ["image", "number"]
        constraints = [models.UniqueConstraint(fields=["image", "number"], name="image_disk_once")]

    def __str__(self) -> str:
        return f"{self.image} disk {self.number}"

    @property
    def stored_name(self) -> str:
        """What it is called on a datastore."""
        return self.image.name if self.number == 1 else f"{self.image.name}-{self.number}"
