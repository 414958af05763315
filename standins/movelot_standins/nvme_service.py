"""The NVMe/TCP array: as the other block array, with namespaces of one subsystem that are let in to hosts by NQN."""

from __future__ import annotations

from movelot_standins.array_service import ArrayService
from movelot_standins.model import Connection, Volume
from movelot_standins.nvme_actions import subsystem
from movelot_standins.redfish import Call, Resource


class NvmeService(ArrayService):
    """Namespaces have a number of the subsystem's, which is the same for every host; no LUN numbers."""

    protocol = "NVMe/TCP"
    name_format = "NQN"
    serial_format = "NGUID"

    def storage_resource(self, call: Call) -> Resource:
        named = [{"DurableNameFormat": "NQN", "DurableName": subsystem(self.name)}]
        return {**super().storage_resource(call), "Identifiers": named}

    def volume_more(self, volume: Volume) -> Resource:
        return {"NVMeNamespaceProperties": {"NamespaceId": str(int(volume.id))}}

    def numbered(self, _connection: Connection) -> Resource:
        return {}

    def number_of(self, volume: Volume, _info: Resource) -> int:
        return int(volume.id)
