"""Rows of exports and mounts as core's values."""

from __future__ import annotations

from collections.abc import Iterable

from django.db.models import F

from movelot.inventory.models import Device, Mount, Volume
from movelot.inventory.models import Export as ExportRow
from movelot_core.nfs import Export, MountedAs, advised


def export_of(row: ExportRow) -> Export:
    rules = tuple((network, access) for network, access in row.clients)
    return Export(row.path, rules, tuple(row.versions), row.root)


def wanted_settings() -> dict[str, tuple[int, str]]:
    """Timeouts and limits that serve every linked file array, each with the array that asks for it."""
    arrays = Device.objects.filter(kind=Device.Kind.ARRAY).exclude(file_client={})
    return advised(dict(arrays.values_list("name", "file_client")))


def mounts_of(volumes: Iterable[Volume]) -> dict[str, list[MountedAs]]:
    """How hosts mount file systems, by the file system's id."""
    rows = (
        Mount.objects.filter(datastore__extents__serial__in=[volume.serial for volume in volumes])
        .exclude(server="")
        .select_related("datastore", "host")
        .annotate(serial=F("datastore__extents__serial"))
        .order_by("host__name", "pk")
    )
    found: dict[str, list[MountedAs]] = {}
    for row in rows:
        mounted = MountedAs(row.host.name, row.serial, row.datastore.name, row.server, row.path, row.version)
        found.setdefault(row.serial, []).append(mounted)
    return found
