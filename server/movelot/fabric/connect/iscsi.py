"""Logging in to iSCSI targets: one portal tells the others, then a session over each path."""

from __future__ import annotations

from typing import Any

from django.db.models import prefetch_related_objects

from movelot.fabric.connect.base import Connector, addresses_of, asked_at
from movelot.inventory.models import Device
from movelot.inventory.paths import PathTable
from movelot.lots.steps.base import StepSpec
from movelot.lots.steps.connections import LogIn, LogOut
from movelot_core.fabric.paths import ISCSI
from movelot_core.units import count_of


class IscsiConnector(Connector):
    """None for a host whose package tells of no session at all: nothing says that it has none."""

    transport = ISCSI

    def steps(self, array: Device, host: Device, table: PathTable) -> list[StepSpec[Any]]:
        wanted = self.pairs(table, host)
        before = host.sessions.get(table.target, [])
        unknown = host.imported and not any(each.protocol == ISCSI for each in host.known_targets.all())
        if unknown or not table.target or all(pair in before for pair in wanted):
            return []
        where = f"to {array.name}" if table.target == array.target else f"to {table.target}"
        login = LogIn(target=table.target, address=asked_at(table, wanted), wanted=wanted, before=before)
        return [_log_in(array, host, login, where)]

    def own_target_steps(
        self, array: Device, hosts: list[Device], table: PathTable, target: str, volume: str
    ) -> list[StepSpec[Any]]:
        """Log each host in to the ``target`` of one volume, which a step may tell."""
        steps = []
        for host in hosts:
            wanted = self.pairs(table, host)
            if wanted:
                login = LogIn(target=target, address=asked_at(table, wanted), wanted=wanted, before=[])
                steps.append(_log_in(array, host, login, f"to the target of {volume}"))
        return steps


def log_out_steps(array: Device, hosts: list[Device], target: str, volume: str) -> list[StepSpec[Any]]:
    """Leave the target of one volume on the hosts that have sessions with it; the undo asks for it where these are."""
    addresses = addresses_of(array)
    prefetch_related_objects(hosts, "known_targets__sessions")
    steps = []
    for host in hosts:
        before = host.sessions.get(target, [])
        if before:
            leave = LogOut(target=target, address=addresses[before[0][1]], wanted=[], before=before)
            steps.append(leave.on(host.name, f"Log {host.name} out of the target of {volume}", target))
    return steps


def _log_in(array: Device, host: Device, login: LogIn, where: str) -> StepSpec[Any]:
    sessions = count_of(len(login.wanted), "path")
    detail = f"{array.name} tells its portals at {login.address}; sessions over {sessions}"
    return login.on(host.name, f"Log {host.name} in {where}", detail)
