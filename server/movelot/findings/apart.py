"""What tells a thing apart from another of its name: its array, the clusters that have it, that it is from a file."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from typing import Any

from django.db.models import Count

from movelot.inventory.models import Datastore, Device, Disk, Machine, Mount, Pool, Volume

MODELS: dict[str, Any] = {
    "datastore": Datastore,
    "pool": Pool,
    "volume": Volume,
    "machine": Machine,
    "disk": Disk,
}
Names = dict[int, str]


def told_apart(subjects: Iterable[tuple[str, int | None, str]]) -> dict[tuple[str, int], str]:
    """For each (kind, id, name) whose name another thing of its kind has too, what tells it apart. A query a kind."""
    by_kind: dict[str, dict[int, str]] = {}
    for kind, key, name in subjects:
        if key is not None and kind in MODELS:
            by_kind.setdefault(kind, {})[key] = name
    found: dict[tuple[str, int], str] = {}
    for kind, names in by_kind.items():
        twice = set(
            MODELS[kind]
            .objects.filter(name__in=set(names.values()))
            .values("name")
            .annotate(count=Count("pk"))
            .filter(count__gt=1)
            .values_list("name", flat=True)
        )
        alike = [key for key, name in names.items() if name in twice]
        if alike:
            found |= {(kind, key): text for key, text in PLACES[kind](alike).items()}
    return found


def _on_device(model: Any) -> Callable[[list[int]], Names]:
    def places(keys: list[int]) -> Names:
        rows = model.objects.filter(pk__in=keys).values_list("pk", "device__name", "device__state")
        return {key: _named(device, state) for key, device, state in rows}

    return places


def _named(device: str, state: str) -> str:
    return f"{device}, imported" if state == Device.State.IMPORTED else device


def _datastores(keys: list[int]) -> Names:
    found: dict[int, dict[str, None]] = {}
    rows = Mount.objects.filter(datastore__in=keys).order_by("host__cluster__name", "host__name")
    for key, cluster, host, state in rows.values_list(
        "datastore_id", "host__cluster__name", "host__name", "host__state"
    ):
        found.setdefault(key, {})[_named(cluster or host, state)] = None
    return {key: ", ".join(names) for key, names in found.items()}


def _machines(keys: list[int]) -> Names:
    rows = Machine.objects.filter(pk__in=keys, placement__isnull=False)
    named = rows.values_list("pk", "placement__host__name", "placement__host__state")
    return {key: _named(host, state) for key, host, state in named}


def _disks(keys: list[int]) -> Names:
    rows = Disk.objects.filter(pk__in=keys, machine__placement__isnull=False)
    named = rows.values_list("pk", "machine__placement__host__name", "machine__placement__host__state")
    return {key: _named(host, state) for key, host, state in named}


PLACES: dict[str, Callable[[list[int]], Names]] = {
    "datastore": _datastores,
    "pool": _on_device(Pool),
    "volume": _on_device(Volume),
    "machine": _machines,
    "disk": _disks,
}
