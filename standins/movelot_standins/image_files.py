"""Small disk images in open formats, written from their data: qcow2, streamed disks of packages, and such packages.

A disk is told by its size and its pieces: data by the offset at which it lies; all else is zero.
"""

from __future__ import annotations

import io
import struct
import tarfile
import zlib
from collections.abc import Mapping
from dataclasses import dataclass

CLUSTER = 64 * 1024
SECTOR = 512
GRAIN = 128 * SECTOR
GRAINS_A_TABLE = 512
Pieces = Mapping[int, bytes]


def qcow2(size: int, pieces: Pieces, *, compressed: bool = False, backing: str = "") -> bytes:
    """A qcow2 image, version 2: header, one L1 table, an L2 table for each stretch that has data, clusters."""
    entries = CLUSTER // 8
    clusters = _blocks(pieces, CLUSTER)
    tables = -(-size // (CLUSTER * entries))
    out, place = io.BytesIO(), 3 * CLUSTER
    l1 = [0] * tables
    for table in sorted({number // entries for number in clusters}):
        l2, at = [0] * entries, place
        place += CLUSTER
        for number in sorted(each for each in clusters if each // entries == table):
            data = clusters[number]
            packed = _deflated(data) if compressed else data
            # What does not get smaller is kept as it is.
            if len(packed) < CLUSTER:
                sectors = (place % SECTOR + len(packed) - 1) // SECTOR
                l2[number % entries] = 1 << 62 | sectors << 54 | place
                data = packed
            else:
                l2[number % entries] = 1 << 63 | place
            out.seek(place)
            out.write(data)
            place = -(-(place + len(data)) // CLUSTER) * CLUSTER
        out.seek(at)
        out.write(struct.pack(f">{entries}Q", *l2))
        l1[table] = 1 << 63 | at
    name = backing.encode()
    header = struct.pack(
        ">4sIQIIQIIQQIIQ",
        b"QFI\xfb",
        2,
        104 if name else 0,
        len(name),
        16,
        size,
        0,
        tables,
        CLUSTER,
        2 * CLUSTER,
        1,
        0,
        0,
    )
    for at, data in ((0, header), (104 if name else len(header), name), (CLUSTER, struct.pack(f">{tables}Q", *l1))):
        out.seek(at)
        out.write(data)
    out.seek(0, io.SEEK_END)
    out.write(bytes(-out.tell() % CLUSTER))
    return out.getvalue()


def _deflated(data: bytes) -> bytes:
    packer = zlib.compressobj(9, zlib.DEFLATED, -12)
    return packer.compress(data) + packer.flush()


def packed_disk(size: int, pieces: Pieces) -> bytes:
    """A disk as packages carry it: grains deflated one after the other, then their tables, directory and footer."""
    grains = _blocks(pieces, GRAIN)
    count = -(-size // GRAIN)
    text = (
        "# Disk DescriptorFile\nversion=1\nCID=fffffffe\nparentCID=ffffffff\n"
        'createType="streamOptimized"\n\n# Extent description\n'
        f'RW {size // SECTOR} SPARSE "packed.disk"\n\n# The Disk Data Base\n#DDB\n'
    ).encode()
    descriptor_sectors = 20
    out = io.BytesIO()
    out.write(bytes(SECTOR))
    out.write(text.ljust(descriptor_sectors * SECTOR, b"\0"))
    out.write(bytes((128 - 1 - descriptor_sectors) * SECTOR))
    entries: dict[int, int] = {}
    for number in sorted(grains):
        entries[number] = out.tell() // SECTOR
        packed = zlib.compress(grains[number].ljust(GRAIN, b"\0"))
        _padded(out, struct.pack("<QI", number * 128, len(packed)) + packed)
    directory = []
    for table in range(-(-count // GRAINS_A_TABLE)):
        numbers = range(table * GRAINS_A_TABLE, (table + 1) * GRAINS_A_TABLE)
        if not any(number in entries for number in numbers):
            directory.append(0)
            continue
        _marker(out, 4, 1)
        directory.append(out.tell() // SECTOR)
        out.write(struct.pack(f"<{GRAINS_A_TABLE}I", *(entries.get(number, 0) for number in numbers)))
    packed_directory = struct.pack(f"<{len(directory)}I", *directory)
    _marker(out, -(-len(packed_directory) // SECTOR), 2)
    at = out.tell() // SECTOR
    _padded(out, packed_directory)
    _marker(out, 1, 3)
    out.write(_packed_header(size, descriptor_sectors, at))
    _marker(out, 0, 0)
    whole = bytearray(out.getvalue())
    whole[:SECTOR] = _packed_header(size, descriptor_sectors, 0xFFFFFFFFFFFFFFFF)
    return bytes(whole)


def _packed_header(size: int, descriptor_sectors: int, directory: int) -> bytes:
    flags = 1 | 1 << 16 | 1 << 17
    head = struct.pack(
        "<4sIIQQQQIQQQB4sH",
        b"KDMV",
        3,
        flags,
        size // SECTOR,
        GRAIN // SECTOR,
        1,
        descriptor_sectors,
        GRAINS_A_TABLE,
        0,
        directory,
        128,
        0,
        b"\n \r\n",
        1,
    )
    return head.ljust(SECTOR, b"\0")


def _marker(out: io.BytesIO, sectors: int, kind: int) -> None:
    out.write(struct.pack("<QII", sectors, 0, kind).ljust(SECTOR, b"\0"))


def _padded(out: io.BytesIO, data: bytes) -> None:
    out.write(data)
    out.write(bytes(-len(data) % SECTOR))


def _blocks(pieces: Pieces, length: int) -> dict[int, bytes]:
    """The blocks of this length that have data, by number, filled up with zeros."""
    found: dict[int, bytearray] = {}
    for offset, data in pieces.items():
        position = 0
        while position < len(data):
            number, within = divmod(offset + position, length)
            part = data[position : position + length - within]
            found.setdefault(number, bytearray(length))[within : within + len(part)] = part
            position += len(part)
    return {number: bytes(data) for number, data in found.items()}


@dataclass(frozen=True)
class PackedMachine:
    """What a package says of its machine; ``disks`` are (size, pieces) in order."""

    name: str
    os: str
    processors: int
    memory_mib: int
    disks: tuple[tuple[int, Pieces], ...]


def single_files(machine: PackedMachine) -> dict[str, bytes]:
    """A package as files by name: the descriptor, and the disks."""
    disks = [
        (f"{machine.name}-disk{n}.img", size, packed_disk(size, pieces))
        for n, (size, pieces) in enumerate(machine.disks, 1)
    ]
    return {f"{machine.name}.ovf": _descriptor(machine, disks).encode(), **{name: data for name, _, data in disks}}


def ova(machine: PackedMachine) -> bytes:
    """A package: a tar of the descriptor and the disks, in that order."""
    out = io.BytesIO()
    with tarfile.open(fileobj=out, mode="w", format=tarfile.USTAR_FORMAT) as tar:
        for name, data in single_files(machine).items():
            entry = tarfile.TarInfo(name)
            entry.size = len(data)
            tar.addfile(entry, io.BytesIO(data))
    return out.getvalue()


def _descriptor(machine: PackedMachine, disks: list[tuple[str, int, bytes]]) -> str:
    references = "".join(
        f'<File ovf:id="file{n}" ovf:href="{name}" ovf:size="{len(data)}"/>'
        for n, (name, _, data) in enumerate(disks, 1)
    )
    sections = "".join(
        f'<Disk ovf:diskId="disk{n}" ovf:fileRef="file{n}" ovf:capacity="{size}"/>'
        for n, (_, size, _d) in enumerate(disks, 1)
    )
    hardware = _item(3, 1, f"<rasd:VirtualQuantity>{machine.processors}</rasd:VirtualQuantity>") + _item(
        4,
        2,
        "<rasd:AllocationUnits>byte * 2^20</rasd:AllocationUnits>"
        f"<rasd:VirtualQuantity>{machine.memory_mib}</rasd:VirtualQuantity>",
    )
    hardware += "".join(
        _item(17, 2 + n, f"<rasd:HostResource>ovf:/disk/disk{n}</rasd:HostResource>") for n in range(1, len(disks) + 1)
    )
    return (
        '<?xml version="1.0" encoding="UTF-8"?>'
        '<Envelope xmlns="http://schemas.dmtf.org/ovf/envelope/1" xmlns:ovf="http://schemas.dmtf.org/ovf/envelope/1" '
        'xmlns:rasd="http://schemas.dmtf.org/wbem/wscim/1/cim-schema/2/CIM_ResourceAllocationSettingData">'
        f"<References>{references}</References><DiskSection><Info>Disks</Info>{sections}</DiskSection>"
        f'<VirtualSystem ovf:id="{machine.name}"><Info>A machine</Info>'
        f'<OperatingSystemSection ovf:id="101"><Info>System</Info><Description>{machine.os}</Description>'
        f"</OperatingSystemSection><VirtualHardwareSection><Info>Hardware</Info>{hardware}"
        "</VirtualHardwareSection></VirtualSystem></Envelope>"
    )


def _item(kind: int, number: int, more: str) -> str:
    return (
        f"<Item><rasd:InstanceID>{number}</rasd:InstanceID><rasd:ResourceType>{kind}</rasd:ResourceType>{more}</Item>"
    )
