"""What a worker does that stores readings one after the other; run several times at once by test_shares.

usage: store_again_and_again.py SEED
"""

from __future__ import annotations

import random
import sys
from typing import Any

import django

HOSTS, STORES, ROUNDS, WORKERS = 12, 6, 40, 3


def main(seed: int) -> None:
    django.setup()
    from django.utils.timezone import now

    from movelot.inventory.models import Device
    from movelot.inventory.store import Taken, store_readings

    chance = random.Random(seed)
    for n in range(HOSTS):
        Device.objects.get_or_create(name=f"host-{n}", unlinked=0, defaults={"kind": "host", "url": f"https://h{n}/"})
    devices = list(Device.objects.order_by("name"))
    for turn in range(ROUNDS):
        # As in shares: each device is one worker's, and what they tell of is everybody's.
        some = devices[seed::WORKERS]
        store_readings([Taken(each, _reading(each.name, chance, turn), now()) for each in some])
    # In the end each host has its own machine, whichever of them stores last.
    store_readings([Taken(each, _reading(each.name, None, ROUNDS), now()) for each in devices])


def _reading(name: str, chance: random.Random | None, turn: int) -> Any:
    """Hosts of two clusters, whose names are new ones in each turn."""
    from movelot.inventory.readings import HostReading

    number = int(name.partition("-")[2])
    stores = [_store(n, chance.randrange(1000) if chance else 7) for n in range(STORES)]
    machines = [_machine(n) for n in {number, chance.randrange(HOSTS) if chance else number}]
    if chance:
        chance.shuffle(stores)
    cluster = f"{'quayside' if number % 2 else 'gatehouse'}-{turn}"
    return HostReading(name, cluster, f"iqn.{name}", 0.0, 0.0, [], 5.0, [], [], stores, machines)


def _store(n: int, free: int) -> dict[str, Any]:
    sizes = {"capacity_bytes": 1000, "free_bytes": free, "other_bytes": 0}
    mount = {"server": "nas", "path": f"/{n}", "version": "4", "ways": [["files", "A1"], ["files", f"B{n}"]]}
    return {
        "identity": f"ds-{n}",
        "name": f"berth-{n}",
        "extents": [{"serial": f"s{n}", "size_bytes": 1000}],
        **sizes,
        "contents": [],
        "mount": mount,
    }


def _machine(n: int) -> dict[str, Any]:
    disk = {"identity": f"d-{n}", "name": f"disk {n}", "size_bytes": 10, "datastore": f"ds-{n % STORES}"}
    what = {"identity": f"m-{n}", "name": f"machine-{n}", "uri": f"/m/{n}", "etag": ""}
    return {**what, "os": "", "address": "", "power": "On", "disks": [{**disk, "raw_serial": "", "shared": False}]}


if __name__ == "__main__":
    main(int(sys.argv[1]))
