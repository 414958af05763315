"""Which devices of hosts a filter takes, on a small world."""

from __future__ import annotations

import pytest

from movelot.network.device_settings import DeviceFilter, rows_of
from server.worlds.tests.world import World


@pytest.fixture
def devices(world: World) -> World:
    """Two quays see v1 and v2 of flint, v2 as datastore Berth; a gate sees v3 of slate."""
    for array in ("flint", "slate"):
        world.array(array, fast=10)
    for host, cluster in (("quay-1", "quayside"), ("quay-2", "quayside"), ("gate-1", "gatehouse")):
        world.host(host, cluster)
    quays = ("quay-1", "quay-2")
    world.volume("flint", "fast", "v1", 1, quays)
    world.datastore("Berth", [world.volume("flint", "fast", "v2", 1, quays)], 1, 0.5, quays)
    world.volume("slate", "fast", "v3", 1, ["gate-1"])
    world.read()
    return world


@pytest.mark.parametrize(
    ("which", "taken"),
    [
        ({}, {("quay-1", "v1"), ("quay-1", "v2"), ("quay-2", "v1"), ("quay-2", "v2"), ("gate-1", "v3")}),
        ({"cluster": "gatehouse"}, {("gate-1", "v3")}),
        ({"host": "quay-2"}, {("quay-2", "v1"), ("quay-2", "v2")}),
        ({"array": "slate"}, {("gate-1", "v3")}),
        ({"text": "V1"}, {("quay-1", "v1"), ("quay-2", "v1")}),
        ({"text": "berth", "host": "quay-1"}, {("quay-1", "v2")}),
        ({"text": "teapot"}, set()),
    ],
)
def test_devices_are_filtered_by_the_server(devices: World, which: dict[str, str], taken: set[tuple[str, str]]) -> None:
    rows, total = rows_of(DeviceFilter(**which))
    assert {(row.host, row.volume) for row in rows} == taken
    assert total == len(taken)
