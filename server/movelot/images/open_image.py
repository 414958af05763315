"""Opens a disk image that nobody trusts, and writes the raw contents of its disks; a process of its own.

usage: open_image.py '{"source": 3, "outs": [4, 5], "most_bytes": …, "memory_bytes": …, "seconds": …}'

It is given open files, by their numbers, and nothing else: before it looks at a byte it lets go of all privileges and
of the network, and is limited in memory, time and what it may write. It says what it found as JSON on standard output.
It imports nothing of Move Lot.
"""

from __future__ import annotations

import ctypes
import hashlib
import json
import os
import resource
import sys
import tarfile
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from typing import IO, Any, Protocol

import pyqcow
import pyvmdk
from defusedxml import ElementTree

CHUNK = 1024**2
SECTOR = 512
NOBODY = 65534
NEW_NETWORK = 0x40000000
NO_PARENT = 0xFFFFFFFF
DESCRIPTOR_MAX = 1024**2
OVF = "{http://schemas.dmtf.org/ovf/envelope/1}"
RASD = "{http://schemas.dmtf.org/wbem/wscim/1/cim-schema/2/CIM_ResourceAllocationSettingData}"
# What begins so is no disk, whatever it is called.
NO_DISKS = {
    b"\x1f\x8b": "compressed with gzip",
    b"PK\x03\x04": "a ZIP archive",
    b"BZh": "compressed with bzip2",
    b"\xfd7zXZ": "compressed with xz",
    b"\x28\xb5\x2f\xfd": "compressed with zstd",
    b"<": "a text, as a page that says something else",
}


class Refused(Exception):
    """It is no image that can be taken, for a reason that people can act on."""


class Readable(Protocol):
    """A disk that is open."""

    def seek(self, offset: int, /) -> Any: ...
    def read(self, size: int, /) -> bytes: ...


class Window:
    """A part of a file as a file, as the libraries ask for it."""

    def __init__(self, file: IO[bytes], begin: int, length: int) -> None:
        self.file, self.begin, self.length, self.at = file, begin, length, 0

    def seek(self, offset: int, whence: int = os.SEEK_SET) -> int:
        self.at = {os.SEEK_SET: 0, os.SEEK_CUR: self.at, os.SEEK_END: self.length}[whence] + offset
        return self.at

    def tell(self) -> int:
        return self.at

    def get_size(self) -> int:
        return self.length

    def read(self, size: int = -1) -> bytes:
        left = max(0, self.length - self.at)
        self.file.seek(self.begin + self.at)
        data = self.file.read(left if size < 0 else min(size, left))
        self.at += len(data)
        return data


def let_go(memory_bytes: int, seconds: int, most_bytes: int) -> None:
    """Be nobody, without a network, within limits."""
    if os.geteuid() == 0:
        # Where the system does not have namespaces the limits below are what there is.
        ctypes.CDLL(None).unshare(NEW_NETWORK)
        os.setgroups([])
        os.setgid(NOBODY)
        os.setuid(NOBODY)
    for what, most in (
        (resource.RLIMIT_AS, memory_bytes),
        (resource.RLIMIT_CPU, seconds),
        (resource.RLIMIT_FSIZE, most_bytes),
        (resource.RLIMIT_NPROC, 0),
        (resource.RLIMIT_CORE, 0),
    ):
        resource.setrlimit(what, (most, most))


def opened(source: IO[bytes], outs: list[int], most_bytes: int) -> dict[str, Any]:
    """What the file is, with its disks written out. Raises Refused."""
    head = source.read(8)
    size = os.fstat(source.fileno()).st_size
    source.seek(257)
    packed = source.read(5) == b"ustar"
    if packed:
        return _package(source, outs, most_bytes)
    whole = Window(source, 0, size)
    if head.startswith(b"QFI\xfb"):
        disk = _qcow2(whole, outs[0], most_bytes)
        return {"format": "qcow2", "disks": [disk]}
    if head.startswith((b"KDMV", b"COWD", b"# Disk")):
        return {"format": "packed disk", "disks": [_packed_disk(whole, outs[0], most_bytes)]}
    wants = _descriptor_alone(whole) if head.lstrip(b"\xef\xbb\xbf").startswith(b"<") else []
    if wants:
        return {"format": "ovf", "disks": [], "wants": wants}
    wrong = next((what for start, what in NO_DISKS.items() if head.startswith(start)), None)
    if wrong:
        raise Refused(f"The file is {wrong}, and no disk image. Bring in the disk itself.")
    if size == 0 or size % SECTOR:
        raise Refused(f"The file is of no known format, and with {size} bytes no raw disk: those have whole sectors.")
    return {"format": "raw", "disks": [_written(whole, size, outs[0], most_bytes)]}


@contextmanager
def _damage_said(what: str) -> Iterator[None]:
    """The libraries say what is wrong with a file as OSError."""
    try:
        yield
    except OSError as error:
        last = str(error).split(". ")[-1].strip(" .")
        raise Refused(f"The {what} is damaged, or of a kind that cannot be read: {last[:200]}.") from error


def _qcow2(file: Window, out: int, most_bytes: int) -> dict[str, int | str]:
    with _damage_said("qcow2 image"):
        disk = pyqcow.file()
        disk.open_file_object(file)
        beneath = disk.get_backing_filename()
        if beneath:
            raise Refused(f"The image lies on another one, {beneath}: alone it is a part. Bring in one that is whole.")
        if disk.is_locked():
            raise Refused("The image is encrypted. Bring it in without.")
        return _written(disk, disk.get_media_size(), out, most_bytes)


def _packed_disk(file: Window, out: int, most_bytes: int) -> dict[str, int | str]:
    with _damage_said("disk of a package"):
        disk = pyvmdk.handle()
        disk.open_file_object(file)
        if disk.get_number_of_extents() != 1:
            raise Refused("The disk is in several files. Bring it in as one, as packages have it.")
        if disk.get_parent_content_identifier() != NO_PARENT:
            raise Refused("The disk lies on another one: alone it is a part. Bring in one that is whole.")
        disk.open_extent_data_files_as_file_objects([file])
        return _written(disk, disk.get_media_size(), out, most_bytes)


def _written(disk: Readable, size: int, out: int, most_bytes: int) -> dict[str, int | str]:
    """The disk's size, data and SHA-256, once its contents are written out; what is zero is left out."""
    if size > most_bytes:
        raise Refused(f"The disk has {size} bytes; {most_bytes} are the most that is taken.")
    digest, data_bytes = hashlib.sha256(), 0
    _kept(os.ftruncate, out, size)
    for offset in range(0, size, CHUNK):
        disk.seek(offset)
        data = disk.read(min(CHUNK, size - offset))
        digest.update(data)
        if data.count(0) != len(data):
            _kept(os.pwrite, out, data, offset)
            data_bytes += len(data)
    return {"size_bytes": size, "data_bytes": data_bytes, "sha256": digest.hexdigest()}


def _kept(put: Callable[..., object], *what: object) -> None:
    """Put something into a copy; Refused where this machine has no room, which is no damage of the file's."""
    try:
        put(*what)
    except OSError as error:
        raise Refused(f"Move Lot's own machine could not keep the disk: {error.strerror}.") from error


def _package(source: IO[bytes], outs: list[int], most_bytes: int) -> dict[str, Any]:
    """An OVA: a descriptor, and the disks that it names, in one archive."""
    source.seek(0)
    try:
        with tarfile.open(fileobj=source, mode="r:") as tar:
            entries = {entry.name: entry for entry in tar.getmembers() if entry.isreg()}
    except tarfile.TarError as error:
        raise Refused("The package is damaged: its list of files cannot be read.") from error
    descriptor = next((entry for name, entry in entries.items() if name.lower().endswith(".ovf")), None)
    if descriptor is None or descriptor.size > DESCRIPTOR_MAX:
        raise Refused("The package has no descriptor (.ovf) that can be read.")
    text = Window(source, descriptor.offset_data, descriptor.size).read()
    try:
        root = ElementTree.fromstring(text)
    except (ElementTree.ParseError, ValueError) as error:
        raise Refused("The package's descriptor cannot be read.") from error
    files = {each.get(f"{OVF}id"): each.get(f"{OVF}href") for each in root.iter(f"{OVF}File")}
    named = [files.get(each.get(f"{OVF}fileRef")) for each in root.iter(f"{OVF}Disk")]
    missing = [str(name) for name in named if name not in entries]
    if not named or missing:
        raise Refused(f"The package lacks {', '.join(missing) or 'disks'}.")
    if len(named) > len(outs):
        raise Refused(f"The package has {len(named)} disks; {len(outs)} are the most.")
    disks = []
    for name, out in zip(named, outs, strict=False):
        entry = entries[str(name)]
        disks.append(_packed_disk(Window(source, entry.offset_data, entry.size), out, most_bytes))
    return {"format": "ova", "disks": disks, **_machine(root)}


def _descriptor_alone(file: Window) -> list[str]:
    """The files that a package's descriptor names beside itself; none where it is no descriptor."""
    if file.get_size() > DESCRIPTOR_MAX:
        return []
    try:
        root = ElementTree.fromstring(file.read())
    except (ElementTree.ParseError, ValueError):
        return []
    named = [str(each.get(f"{OVF}href") or "") for each in root.iter(f"{OVF}File")]
    if root.tag != f"{OVF}Envelope":
        return []
    if not named or any(not name or "/" in name or name.startswith(".") or ":" in name for name in named):
        raise Refused("The descriptor names its disks by paths or addresses, or none: they have to lie beside it.")
    return named


def _machine(root: Any) -> dict[str, Any]:
    """What the descriptor says of the machine: system, processors, memory."""
    said = root.find(f".//{OVF}OperatingSystemSection/{OVF}Description")
    found: dict[str, Any] = {"os": (said.text or "")[:64] if said is not None else ""}
    for item in root.iter(f"{OVF}Item"):
        kind = item.findtext(f"{RASD}ResourceType")
        quantity = item.findtext(f"{RASD}VirtualQuantity") or ""
        if not quantity.isdecimal():
            continue
        if kind == "3":
            found["processors"] = int(quantity)
        elif kind == "4":
            found["memory_bytes"] = int(quantity) * _unit(item.findtext(f"{RASD}AllocationUnits") or "")
    return found


def _unit(text: str) -> int:
    """Bytes of a unit as packages write it: byte * 2^20, or the older MegaBytes."""
    words = text.replace(" ", "").lower()
    power = words.partition("byte*2^")[2]
    if power.isdecimal() and int(power) <= 40:
        return 1 << int(power)
    return {"gigabytes": 1024**3, "gb": 1024**3, "kilobytes": 1024, "kb": 1024, "byte": 1}.get(words, 1024**2)


def main() -> None:
    asked = json.loads(sys.argv[1])
    # Opened, and the libraries loaded, before it may open nothing more.
    source = os.fdopen(asked["source"], "rb")
    let_go(asked["memory_bytes"], asked["seconds"], asked["most_bytes"])
    try:
        told = opened(source, asked["outs"], asked["most_bytes"])
    except Refused as refused:
        told = {"refused": str(refused)}
    json.dump(told, sys.stdout)


if __name__ == "__main__":
    main()
