"""What tells a thing apart from another of its name: its array, the clusters that have it, that it is from a file."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from typing import Any

from django.db.models import Count

from movelot.inventory.models import Datastore, Device, Disk, Machine, Mount, Pool, Volume

Names = dict[int, str]


def told_apart(subjects: Iterable[tuple[str, int | None, str]]) -> dict[tuple[str, int], str]:
    """For each (kind, id, name) whose name another thing of its kind has too, what tells it apart. A query a kind."""
    by_kind: dict[str, dict[int, str]] = {}
    for kind, key, name in subjects:
        if key is not None and kind in KINDS:
            by_kind.setdefault(kind, {})[key] = name
    found: dict[tuple[str, int], str] = {}
    for kind, names in by_kind.items():
        model, places = KINDS[kind]
        twice = set(
            model.objects.filter(name__in=set(names.values()))
            .values("name")
            .annotate(count=Count("pk"))
            .filter(count__gt=1)
            .values_list("name", flat=True)
        )
        alike = [key for key, name in names.items() if name in twice]
        if alike:
            found |= {(kind, key): text for key, text in places(alike).items()}
    return found


def _named(device: str, state: str) -> str:
    return f"{device}, imported" if state == Device.State.IMPORTED else device


def _by(model: Any, device: str) -> Callable[[list[int]], Names]:
    """Things told apart by the device that ``device`` leads to."""

    def places(keys: list[int]) -> Names:
        rows = model.objects.filter(pk__in=keys, **{f"{device}__isnull": False})
        return {key: _named(*told) for key, *told in rows.values_list("pk", f"{device}__name", f"{device}__state")}

    return places


def _datastores(keys: list[int]) -> Names:
    found: dict[int, dict[str, None]] = {}
    rows = Mount.objects.filter(datastore__in=keys).order_by("host__cluster__name", "host__name")
    told = rows.values_list("datastore_id", "host__cluster__name", "host__name", "host__state")
    for key, cluster, host, state in told:
        found.setdefault(key, {})[_named(cluster or host, state)] = None
    return {key: ", ".join(names) for key, names in found.items()}


# A kind of thing: its model, and where each of some lies, by primary key.
KINDS: dict[str, tuple[Any, Callable[[list[int]], Names]]] = {
    "datastore": (Datastore, _datastores),
    "pool": (Pool, _by(Pool, "device")),
    "volume": (Volume, _by(Volume, "device")),
    "machine": (Machine, _by(Machine, "placement__host")),
    "disk": (Disk, _by(Disk, "machine__placement__host")),
}
