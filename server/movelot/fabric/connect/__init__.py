"""Connecting hosts to arrays: a connector for each transport that needs one, found in the files of this folder."""

from __future__ import annotations

import importlib
import inspect
import pkgutil
from typing import Any

from movelot.fabric.connect.base import Connector
from movelot.inventory.models import Device
from movelot.inventory.paths import PathTable
from movelot.lots.steps.base import StepSpec


def _connectors_in(package: str, paths: list[str]) -> dict[str, Connector]:
    found: dict[str, Connector] = {}
    for info in pkgutil.iter_modules(paths):
        module = importlib.import_module(f"{package}.{info.name}")
        for each in vars(module).values():
            if inspect.isclass(each) and issubclass(each, Connector) and not inspect.isabstract(each):
                found[each.transport] = each()
    return found


CONNECTORS: dict[str, Connector] = _connectors_in(__name__, list(__path__))


def connect_steps(array: Device, hosts: list[Device], table: PathTable) -> list[StepSpec[Any]]:
    """A step for each host that is not yet connected over all paths of ``table``, to what this leads to."""
    connectors = [CONNECTORS[each] for each in sorted(array.protocols) if each in CONNECTORS]
    return [step for host in hosts for connector in connectors for step in connector.steps(array, host, table)]
