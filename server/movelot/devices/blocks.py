"""The data of images and disks, over a host that mounts their datastores: written and read block by block."""

from __future__ import annotations

import base64
import hashlib
from collections.abc import Iterator
from urllib.parse import quote

from movelot.devices.host import act, image_row, system_uri
from movelot.devices.session import DeviceSession
from movelot.inventory.readings import Row

# As much as a request carries.
BLOCK_BYTES = 2 * 1024**2
_ZEROS = bytes(BLOCK_BYTES)


def find_image(session: DeviceSession, key: str) -> Row | None:
    """The image that was made by ``key``, as the host lists it now."""
    members = session.members(f"{system_uri(session)}/Oem/Kestrel/Images")
    return next((image_row(member) for member in members if member.get("Key") == key), None)


def write_block(session: DeviceSession, image: str, offset: int, data: bytes) -> None:
    """Put ``data``, at most BLOCK_BYTES, into an image."""
    act(session, "WriteBlocks", Image=image, Offset=offset, Data=base64.b64encode(data).decode())


def read_blocks(session: DeviceSession, identity: str) -> Iterator[tuple[int, bytes]]:
    """[offset, data] of all that an image or a disk has written, in order; the rest of it is zeros."""
    contents = f"{system_uri(session)}/Oem/Kestrel/Contents/{quote(identity)}"
    for extent in session.get(contents)["Extents"]:
        offset, end = int(extent["Offset"]), int(extent["Offset"]) + int(extent["Length"])
        while offset < end:
            length = min(BLOCK_BYTES, end - offset)
            yield offset, base64.b64decode(session.get(f"{contents}/{offset}/{length}")["Data"])
            offset += length


def digest_of(session: DeviceSession, identity: str, size_bytes: int) -> str:
    """SHA-256 of an image or a disk as its host reads it, up to ``size_bytes``, in hexadecimal."""
    digest, at = hashlib.sha256(), 0
    for offset, data in read_blocks(session, identity):
        at = _zeros(digest, at, min(offset, size_bytes))
        part = data[: max(0, size_bytes - offset)]
        digest.update(part)
        at += len(part)
    _zeros(digest, at, size_bytes)
    return digest.hexdigest()


def _zeros(digest: hashlib._Hash, begin: int, end: int) -> int:
    for at in range(begin, end, BLOCK_BYTES):
        digest.update(_ZEROS[: min(BLOCK_BYTES, end - at)])
    return max(begin, end)
