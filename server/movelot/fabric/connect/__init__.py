"""Connecting hosts to arrays: a connector for each transport that needs one, found in the files of this folder."""

from __future__ import annotations

from typing import Any

from django.db.models import prefetch_related_objects

from movelot.fabric.connect.base import Connector
from movelot.inventory.models import Device
from movelot.inventory.paths import PathTable
from movelot.lots.steps.base import StepSpec
from movelot_core.families import members_in

CONNECTORS: dict[str, Connector] = {
    each.transport: each()
    for each in members_in(__name__, __path__, Connector)  # type: ignore[type-abstract]
}


def connect_steps(array: Device, hosts: list[Device], table: PathTable) -> list[StepSpec[Any]]:
    """A step for each host that is not yet connected over all paths of ``table``, to what this leads to."""
    prefetch_related_objects(hosts, "known_targets__sessions")
    connectors = [CONNECTORS[each] for each in sorted(array.protocols) if each in CONNECTORS]
    return [step for host in hosts for connector in connectors for step in connector.steps(array, host, table)]
