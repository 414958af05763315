"""Receiving image files: from depots that an administrator allows, gone on with after a break; by upload in parts."""

from __future__ import annotations

import hashlib
import tempfile
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path
from urllib.parse import urlsplit

import requests
from django.conf import settings

from movelot.devices.networks import demand_allowed
from movelot.images.models import Depot, Image
from movelot.inventory.image_copies import folder
from movelot_core.units import format_size

PART_BYTES = 1024**2
# Breaks in a row after which it is given up; any byte received begins to count anew.
BREAKS_MAX = 5
WAIT_SECONDS = 0.5
# From then on no answer is to be expected.
CONNECT_SECONDS, SILENT_SECONDS = 10, 60
CHECKSUMS = {"sha256": 64, "sha1": 40, "md5": 32}
Tell = Callable[[int, int], None]


class ImageRefused(Exception):
    """The file is not taken; the message says why, and what to do."""


def incoming(image: Image) -> Path:
    """Where the file is while it is received."""
    return folder() / f"incoming-{image.pk}"


def depot_of(url: str) -> Depot | None:
    """The depot that an address belongs to; None where nobody allowed it."""
    parts = urlsplit(url)
    if parts.scheme != "https" or ".." in parts.path or parts.username or parts.query or parts.fragment:
        return None
    return next((depot for depot in Depot.objects.all() if url.startswith(depot.url) and url != depot.url), None)


def checksum_of(text: str) -> str:
    """A checksum as typed, with its kind by its length: sha256:…. ImageRefused for what is none; empty for nothing."""
    wanted = text.strip().lower().rpartition(":")[2]
    if not wanted:
        return ""
    kind = next((kind for kind, length in CHECKSUMS.items() if length == len(wanted)), None)
    if kind is None or not all(letter in "0123456789abcdef" for letter in wanted):
        raise ImageRefused("This is no SHA-256, SHA-1 or MD5 checksum in hexadecimal.")
    return f"{kind}:{wanted}"


class Download:
    """A file that is fetched from ``url`` to ``path``: the depot's ``tag`` of its version, and all of its bytes."""

    def __init__(self, url: str, path: Path, most_bytes: int) -> None:
        self.url, self.path, self.most_bytes = url, path, most_bytes
        self.tag, self.total = "", 0

    def begun(self, tag: str, total: int) -> None:
        """The depot told what it sends."""
        self.tag, self.total = tag, total

    def received(self, count: int) -> None:
        """So many bytes are there now."""


class _OfImage(Download):
    """The file of an image; how far it came is kept with that, so that another worker goes on."""

    def __init__(self, image: Image) -> None:
        super().__init__(image.source, incoming(image), settings.IMAGE_FILE_MOST_BYTES)
        self.image, self.tag, self.total = image, image.tag, image.file_bytes

    def begun(self, tag: str, total: int) -> None:
        super().begun(tag, total)
        Image.objects.filter(pk=self.image.pk).update(tag=tag, file_bytes=total)
        self.image.tag, self.image.file_bytes = tag, total

    def received(self, count: int) -> None:
        Image.objects.filter(pk=self.image.pk).update(received_bytes=count)


def fetch(image: Image, tell: Tell) -> None:
    """Fetch the image's file; what an earlier try received is gone on with. Raises ImageRefused."""
    download(_OfImage(image), tell)


def download(wanted: Download, tell: Tell) -> None:
    """Fetch a file, in as many tries as it takes while anything comes. Raises ImageRefused."""
    breaks = 0
    while True:
        before = wanted.path.stat().st_size if wanted.path.exists() else 0
        try:
            _fetch_rest(wanted, before, tell)
        except requests.RequestException as error:
            breaks = 1 if wanted.path.exists() and wanted.path.stat().st_size > before else breaks + 1
            if breaks >= BREAKS_MAX:
                raise ImageRefused(
                    f"The depot broke off {BREAKS_MAX} times: {_said(error)}. Try again later."
                ) from error
            time.sleep(WAIT_SECONDS * breaks)
        else:
            return


def _fetch_rest(wanted: Download, begin: int, tell: Tell) -> None:
    if begin and begin == wanted.total:
        return
    depot = depot_of(wanted.url)
    if depot is None:
        raise ImageRefused("Its depot is no longer allowed. An administrator adds it under Images.")
    parts = urlsplit(wanted.url)
    demand_allowed(parts.hostname or "", parts.port or 443)
    asked = {"Range": f"bytes={begin}-", "If-Range": wanted.tag} if begin and wanted.tag else {}
    with _trusted(depot) as trusted, requests.Session() as session:
        # Nothing of this machine's own: no proxy, no account from a file.
        session.trust_env = False
        answer = session.get(
            wanted.url,
            headers={**asked, "Accept-Encoding": "identity"},
            verify=trusted,
            stream=True,
            allow_redirects=False,
            timeout=(CONNECT_SECONDS, SILENT_SECONDS),
        )
        with answer:
            _take(wanted, answer, begin if answer.status_code == 206 else 0, tell)


def _take(wanted: Download, answer: requests.Response, begin: int, tell: Tell) -> None:
    """Write what the depot sends from ``begin`` on; ConnectionError where it broke off."""
    if answer.status_code not in (200, 206):
        name = wanted.url.rpartition("/")[2]
        raise ImageRefused(f"The depot answers {answer.status_code} for {name}, and no file.")
    total = begin + int(answer.headers.get("Content-Length") or 0)
    if total > wanted.most_bytes:
        raise ImageRefused(f"The file has {format_size(total)}; {format_size(wanted.most_bytes)} are the most.")
    wanted.begun(answer.headers.get("ETag", "")[:200], total)
    with wanted.path.open("r+b" if begin else "wb") as file:
        file.seek(begin)
        received = begin
        for part in answer.iter_content(PART_BYTES):
            received += len(part)
            if received > wanted.most_bytes:
                raise ImageRefused(f"The file has more than {format_size(wanted.most_bytes)}.")
            file.write(part)
            wanted.received(received)
            tell(received, total)
    if total and received < total:
        raise requests.ConnectionError(f"{received} of {total} bytes came")


@contextmanager
def _trusted(depot: Depot) -> Iterator[str | bool]:
    """What the depot's certificate is compared with: its own as it was when it was added, or known authorities."""
    if not depot.certificate_pem:
        yield True
        return
    with tempfile.NamedTemporaryFile("w", suffix=".pem") as file:
        file.write(depot.certificate_pem)
        file.flush()
        yield file.name


def _said(error: requests.RequestException) -> str:
    if isinstance(error, requests.exceptions.SSLError):
        return "its certificate is not the one that was added"
    return "it sent less than it said" if "bytes came" in str(error) else "it does not answer"


def take_part(image: Image, begin: int, data: bytes) -> int:
    """Put a part of an upload at ``begin``, which is where the last one ended. Returns how many bytes there are now."""
    path = incoming(image)
    with path.open("r+b" if path.exists() else "wb") as file:
        file.seek(begin)
        file.write(data)
        file.truncate()
    return begin + len(data)


def check_sum(image: Image) -> str:
    """SHA-256 of the received file; ImageRefused where its checksum is not the one that was given."""
    kind, _, wanted = image.checksum.partition(":")
    digests = {name: hashlib.new(name, usedforsecurity=False) for name in {kind or "sha256", "sha256"}}
    with incoming(image).open("rb") as file:
        while part := file.read(PART_BYTES):
            for digest in digests.values():
                digest.update(part)
    if wanted and digests[kind].hexdigest() != wanted:
        found = digests[kind].hexdigest()
        text = f"Its {kind.upper().replace('SHA', 'SHA-')} is {found[:16]}…, and {wanted[:16]}… was given"
        raise ImageRefused(f"{text}: it is damaged, or another file. Nothing of it is kept.")
    return digests["sha256"].hexdigest()
