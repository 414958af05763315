"""Connecting to an NVMe subsystem: discovery at one portal, then a connection over each path."""

from __future__ import annotations

from typing import Any

from movelot.fabric.connect.base import Connector, asked_at
from movelot.inventory.models import Device
from movelot.inventory.paths import PathTable
from movelot.lots.steps.base import StepSpec
from movelot.lots.steps.connections import ConnectSubsystem
from movelot_core.fabric.paths import NVME
from movelot_core.units import count_of


class NvmeConnector(Connector):
    transport = NVME

    def steps(self, array: Device, host: Device, table: PathTable) -> list[StepSpec[Any]]:
        wanted = self.pairs(table, host)
        before = host.sessions.get(array.nqn, [])
        if all(pair in before for pair in wanted):
            return []
        connect = ConnectSubsystem(nqn=array.nqn, address=asked_at(table, wanted), wanted=wanted, before=before)
        detail = f"discover at {connect.address}, then connect over {count_of(len(wanted), 'path')}"
        return [connect.on(host.name, f"Connect {host.name} to {array.name}", detail)]
