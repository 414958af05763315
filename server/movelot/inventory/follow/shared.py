"""Lists that most rows of a device have in common: kept once, and pointed at by all that have it."""

from __future__ import annotations

import hashlib
from collections.abc import Iterable, Mapping, Sequence

from django.db import models

from movelot.inventory.bulk import insert
from movelot.inventory.models import AdmittedInitiator, InitiatorSet, Path, PathSet

# The entries of a list, each with the fields of its row.
Listing = tuple[tuple[str, ...], ...]
PATH_FIELDS = ("port", "portal", "access")
Keys = dict[tuple[int, Listing], int | None]


def path_sets(told: Mapping[int, Iterable[Sequence[Sequence[str]]]]) -> Keys:
    """The primary key of each path set of each host, by the host's key and the [port, portal, access] in it."""
    listings = {host: {path_listing(paths) for paths in each} for host, each in told.items()}
    return _keep(PathSet, Path, ("path_set_id", *PATH_FIELDS), listings)


def path_listing(paths: Sequence[Sequence[str]]) -> Listing:
    """Paths as they are listed; those of an export have no access state."""
    return tuple((path[0], path[1], path[2] if len(path) > 2 else "") for path in paths)


def initiator_sets(device: int, told: Iterable[Sequence[str]]) -> Keys:
    """The primary key of each of an array's sets of initiators, by the array's key and their names."""
    listings = {device: {initiator_listing(names) for names in told}}
    return _keep(InitiatorSet, AdmittedInitiator, ("initiator_set_id", "identifier"), listings)


def initiator_listing(names: Sequence[str]) -> Listing:
    return tuple((name,) for name in names)


def _keep(
    model: type[PathSet] | type[InitiatorSet],
    entry: type[Path] | type[AdmittedInitiator],
    fields: Sequence[str],
    told: Mapping[int, set[Listing]],
) -> Keys:
    """Store the listings that no row has yet, their entries with ``fields``: the set's key and what the entry says.

    An empty one has no row, and None for its key.
    """
    digests = {
        (device, _digest(listing)): (device, listing) for device, each in told.items() for listing in each if listing
    }
    there = model._default_manager.filter(device__in=told)
    known = {(device, digest): key for key, device, digest in there.values_list("pk", "device_id", "digest")}
    fresh = sorted(digests.keys() - known.keys())
    if fresh:
        insert(model, [{"device_id": device, "digest": digest} for device, digest in fresh])
        known = {(device, digest): key for key, device, digest in there.values_list("pk", "device_id", "digest")}
        rows = [(known[which], *values) for which in fresh for values in digests[which][1]]
        insert(entry, [dict(zip(fields, row, strict=True)) for row in rows])
    keys: Keys = {(device, ()): None for device in told}
    return keys | {digests[which]: known[which] for which in digests}


def forget_unused(devices: Iterable[int]) -> None:
    """Delete the sets of these devices that nothing points at any more."""
    unused: list[models.QuerySet[PathSet] | models.QuerySet[InitiatorSet]] = [
        PathSet.objects.filter(device__in=devices, hostdevices=None, mounts=None),
        InitiatorSet.objects.filter(device__in=devices, offers=None),
    ]
    for rows in unused:
        keys = list(rows.values_list("pk", flat=True))
        if keys:
            rows.model._default_manager.filter(pk__in=keys).delete()


def _digest(listing: Listing) -> str:
    return hashlib.sha256(repr(listing).encode()).hexdigest()[:32]
