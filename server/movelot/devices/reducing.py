"""Compression and deduplication of a volume or a file system: how far they are, switched on and off, blocks sampled."""

from __future__ import annotations

import base64
import binascii
from dataclasses import dataclass

import numpy as np

from movelot.devices.errors import DeviceOdd
from movelot.devices.session import DeviceSession, Resource
from movelot_core.capacity.duplicates import BlockSample

# What a volume says of itself, and what it is told, in each way of reducing its data.
REDUCED = {"compression": "Compressed", "deduplication": "Deduplicated"}
PIECE_BYTES = 2**40


@dataclass(frozen=True)
class Reduction:
    """The ways that are switched on, the share of all blocks that are so already, and what that saves in bytes."""

    ways: list[str]
    share: float
    saved_bytes: int
    held_bytes: int


def _told(member: Resource) -> Resource:
    """Where it says so: a file system under what is its array's own."""
    oem: Resource = member.get("Oem", {}).get("Kestrel", {})
    return oem if _is_file(member) else {**member, **oem}


def _is_file(member: Resource) -> bool:
    return "ExportedShares" in member


def reduction_of(member: Resource) -> Reduction:
    """How a volume or file system, as it was just read, is reduced."""
    told = _told(member)
    ways = [way for way, name in REDUCED.items() if told.get(name)]
    held = member["Capacity"]["Data"]["ConsumedBytes"]
    return Reduction(ways, float(told.get("ReducedShare", 1.0)), int(told.get("ReducedBytes", 0)), int(held))


def reduce(session: DeviceSession, member: Resource, ways: list[str], key: str, bytes_per_second: float) -> str:
    """Have its data reduced in exactly these ways; returns the address of the monitor of that work. DeviceStale."""
    wanted = {name: way in ways for way, name in REDUCED.items()}
    wanted |= {"Key": key, "BytesPerSecond": bytes_per_second}  # type: ignore[dict-item]
    body = {"Oem": {"Kestrel": wanted}} if _is_file(member) else wanted
    answer = session.patch(str(member["@odata.id"]), body, str(member.get("@odata.etag", "")))
    return str(answer.getheader("Location") or "")


def sample(session: DeviceSession, uri: str, begin: int, length: int, one_in: int) -> BlockSample:
    """One block in so many of a range of a volume's bytes. DeviceOdd where the answer cannot be used."""
    body = {"OneIn": one_in, "Offset": begin, "Length": length}
    answer = session.post(f"{uri}/Actions/Oem/Kestrel.SampleBlocks", body).dict
    try:
        prints = np.frombuffer(base64.b64decode(answer["Fingerprints"], validate=True), dtype="<u8")
        sectors = np.frombuffer(base64.b64decode(answer["Sectors"], validate=True), dtype=np.uint8)
        blocks, zeros = int(answer["Blocks"]), int(answer["ZeroBlocks"])
        size, sector = int(answer["BlockBytes"]), int(answer["SectorBytes"])
    except (KeyError, TypeError, ValueError, binascii.Error) as error:
        raise DeviceOdd(session.name, f"{session.name} answers what cannot be used: a sample of blocks.") from error
    if len(prints) != len(sectors) or not 0 <= zeros <= blocks or size <= 0 or sector <= 0:
        raise DeviceOdd(session.name, f"{session.name} answers what cannot be used: a sample that does not fit.")
    return BlockSample(prints, sectors.astype(np.int64) * sector, blocks - zeros, zeros, size, one_in)
