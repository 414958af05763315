"""What a step works on besides its device, so that two lots on different devices do not work on one thing at once.

A disk may be moved by one host, and by another once its machine has gone there; a datastore is mounted by many hosts; a
volume is seen by hosts and kept by an array.
"""

from __future__ import annotations

from dataclasses import dataclass

from movelot.inventory.models import Device


@dataclass(frozen=True)
class Touched:
    """A thing: what people call it, what tells it from all others of its noun, and its name.

    One that is not touched ``alone`` may be used by several lots at once, as a datastore that disks are moved to.
    """

    noun: str
    key: str
    name: str
    alone: bool = True

    @property
    def thing(self) -> str:
        """The same text for the same thing."""
        return f"{self.noun} {self.key}"

    def __str__(self) -> str:
        return f"{self.noun} {self.name}"


@dataclass(frozen=True)
class Room:
    """Bytes that a step brings into the datastore ``to``, out of the datastore ``out_of``, by their identities."""

    to: str
    size_bytes: int
    out_of: str = ""


def volume(serial: object, name: str, alone: bool = True) -> list[Touched]:
    """The volume, or file system, of a serial; nothing where a step of the lot makes it: nobody else knows it yet."""
    return [Touched("volume", serial, name or serial, alone)] if isinstance(serial, str) and serial else []


def datastore_name(device: Device, name: str) -> Touched:
    """A name that is given to a datastore of the hosts that are with ``device``: no two get it at once."""
    return Touched("datastore name", f"{device.cluster_id}/{name}", name)
