"""The contract of a connector: how hosts are connected to an array over one transport before they see its volumes."""

from __future__ import annotations

from abc import ABC, abstractmethod
from typing import Any, ClassVar

from movelot.inventory.models import Device
from movelot.inventory.paths import PathTable
from movelot.lots.steps.base import StepSpec
from movelot.lots.steps.connections import Pairs
from movelot_core.fabric.paths import bare_address


class Connector(ABC):
    """Connects hosts over one transport. Stateless; a transport without one needs no connection."""

    transport: ClassVar[str]

    @abstractmethod
    def steps(self, array: Device, host: Device, table: PathTable) -> list[StepSpec[Any]]:
        """What connects a host over all paths of ``table``, to what this leads to; none where it is already."""

    def pairs(self, table: PathTable, host: Device) -> Pairs:
        """The [port, portal] pairs over which the host will have paths of this transport."""
        over = {portal.name for portal in table.portals if portal.protocol == self.transport}
        paths = table.by_host.get(host.name, ())
        return [[path.port, path.portal] for path in paths if path.seen and path.portal in over]


def asked_at(table: PathTable, pairs: Pairs) -> str:
    """Where a host asks what there is: the address of the portal of its first pair."""
    return next(bare_address(portal.address) for portal in table.portals if portal.name == pairs[0][1])


def addresses_of(array: Device) -> dict[str, str]:
    """The address of each of an array's portals, by its name."""
    return {name: bare_address(network) for name, network in array.portals.values_list("name", "network")}
