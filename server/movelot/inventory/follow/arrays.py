"""What an array said: its pools and volumes, and all through which hosts reach them."""

from __future__ import annotations

from datetime import datetime

from movelot.inventory.follow.rows import follow_durable, follow_listed, keys_by_uri, linked
from movelot.inventory.follow.shared import Keys, forget_unused, initiator_listing, initiator_sets
from movelot.inventory.models import Device, DriveGroup, Export, Initiator, Offer, Pool, Portal, Volume, Zone
from movelot.inventory.readings import ArrayReading, Row


def follow_array(device: Device, reading: ArrayReading, moment: datetime) -> None:
    """Make the array's rows be those of ``reading``, and set its own fields; the caller saves it."""
    device.set_limits, device.target = reading.set_limits, reading.target
    follow_durable(Pool, "identity", device, reading.pools, moment)
    pools = keys_by_uri(Pool, [device])
    follow_durable(Volume, "serial", device, [linked(row, "pool", pools, device) for row in reading.volumes], moment)
    for model, rows in (
        (DriveGroup, [linked(row, "pool", pools, device) for row in reading.drive_groups]),
        (Portal, reading.portals),
        (Initiator, reading.initiators),
        (Zone, reading.zones),
    ):
        follow_listed(model, {device.pk: rows})
    volumes = keys_by_uri(Volume, [device])
    sets = initiator_sets(device.pk, [row["initiators"] for row in reading.offers])
    offers = [_to_set(linked(row, "volume", volumes, device), device, sets) for row in reading.offers]
    follow_listed(Offer, {device.pk: offers})
    forget_unused([device.pk])
    follow_listed(Export, {device.pk: [linked(row, "volume", volumes, device) for row in reading.exports]})


def _to_set(row: Row, device: Device, sets: Keys) -> Row:
    """An offer with its list of initiators made a foreign key."""
    rest = {name: value for name, value in row.items() if name != "initiators"}
    return {**rest, "initiator_set_id": sets[device.pk, initiator_listing(row["initiators"])]}
