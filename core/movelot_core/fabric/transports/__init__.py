"""All transports by name, found in the files of this folder: one that is written is registered."""

from __future__ import annotations

import importlib
import inspect
import pkgutil

from movelot_core.fabric.transports.base import Transport


def _transports_in(package: str, paths: list[str]) -> dict[str, Transport]:
    found: dict[str, Transport] = {}
    for info in pkgutil.iter_modules(paths):
        module = importlib.import_module(f"{package}.{info.name}")
        for each in vars(module).values():
            if inspect.isclass(each) and issubclass(each, Transport) and each is not Transport:
                found[each.name] = each()
    return found


TRANSPORTS: dict[str, Transport] = _transports_in(__name__, list(__path__))


class _Unknown(Transport):
    """A transport that a device names and we know nothing of: judged as storage over Ethernet is."""

    name = "unknown"


_UNKNOWN = _Unknown()


def transport_of(protocol: str) -> Transport:
    """The transport that a device calls ``protocol``."""
    return TRANSPORTS.get(protocol, _UNKNOWN)


def block_transports() -> tuple[str, ...]:
    """Names of those that carry volumes as block devices."""
    return tuple(name for name, each in TRANSPORTS.items() if each.carries_blocks)
