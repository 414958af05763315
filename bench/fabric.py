"""Paths of a large fabric: expected, compared with what hosts report, single points of failure, and one loss."""

from __future__ import annotations

import time

import numpy as np

from movelot_core.fabric.loss import Component, lose
from movelot_core.fabric.matrix import Fabric, compare_all, single_points_all
from movelot_core.fabric.paths import HostPort, Offer, Portal

HOSTS, LEGS, PORTALS, VOLUMES = 400, 4, 32, 300
LOST_SHARE = 0.02


def large_fabric() -> Fabric:
    """400 hosts with 4 ports, one in each of 4 subnets; 32 portals on 4 controllers; every volume let in everywhere."""
    ports = [
        HostPort(
            f"quay-{h:03}",
            f"storage-{leg}",
            f"10.{40 + leg}.{h // 200}.{h % 200 + 40}/16",
            400 + leg,
            f"iqn.2026-01.example.kestrelbay:quay-{h:03}",
            (f"uplink-{leg}",),
            switch=f"switch-{leg}",
        )
        for h in range(HOSTS)
        for leg in range(LEGS)
    ]
    portals = [
        Portal("granite", "ABCD"[n % 4], f"P{n:02}", f"10.{40 + n % LEGS}.9.{n + 10}/16", 400 + n % LEGS)
        for n in range(PORTALS)
    ]
    initiators = frozenset(port.initiator for port in ports)
    offers = [Offer(f"vol-{n:03}", "ABCD"[n % 4], frozenset("ABCD"), initiators, "granite") for n in range(VOLUMES)]
    return Fabric.of(ports, portals, offers)


def report() -> None:
    rng = np.random.default_rng(5)
    fabric = large_fabric()
    begun = time.perf_counter()
    expected = compare_all(fabric, None)
    seen = expected.seen & (rng.random(expected.seen.shape) > LOST_SHARE)
    drawn = time.perf_counter()
    paths = compare_all(fabric, seen)
    compared = time.perf_counter()
    points = single_points_all(paths)
    judged = time.perf_counter()
    loss = lose(paths, Component("switch", "switch-1"))
    lost = time.perf_counter()
    print(
        f"  {int(paths.expected.sum())} paths expected, {int(paths.missing.sum())} missing, {len(points)} single points"
    )
    print(f"  expected {drawn - begun:.2f} s, compared with the reports {compared - drawn:.2f} s")
    print(
        f"  single points {judged - compared:.2f} s, one loss {lost - judged:.2f} s ({int(loss.thinner.sum())} thinner)"
    )
