"""A large estate in a database of its own: 20,000 disks on 200 datastores, 40 pools, 8 arrays, 400 hosts.

Every host sees every volume over four paths, so that there are 80,000 devices on hosts.
"""

from __future__ import annotations

from datetime import date, timedelta

import numpy as np
from django.utils.timezone import now

from bench.groups import generate
from movelot.accounts.models import Role, User
from movelot.inventory.changes import everything_changed
from movelot.inventory.follow.shared import initiator_listing, initiator_sets, path_listing, path_sets
from movelot.inventory.models import (
    BalanceGroup,
    Cluster,
    Datastore,
    DatastoreDay,
    Device,
    Disk,
    DiskPlacement,
    Extent,
    GroupMember,
    HostDevice,
    HostInitiator,
    HostPort,
    Machine,
    MachinePlacement,
    Mount,
    Offer,
    Pool,
    Portal,
    Volume,
)
from movelot.lots.models import Lot
from movelot_core.balance.group import Group

DISKS, STORES, POOLS, HOSTS, ARRAYS, LOTS = 20_000, 200, 40, 400, 8, 300
PORTALS = 4


def build() -> str:
    """Fill the empty tables; returns the group's name."""
    made = generate(DISKS, STORES, POOLS, seed=1)
    user = User.objects.create_user("ines.marrow", password="bench-only-password", role=Role.VIRTUALIZATION)
    cluster = Cluster.objects.create(name="quayside")
    group = BalanceGroup.objects.create(name="quayside", cluster=cluster)
    arrays = [_device(f"array-{n}", "array", n, None) for n in range(ARRAYS)]
    hosts = [_device(f"host-{n:03}", "host", 100 + n, cluster) for n in range(HOSTS)]
    Device.objects.bulk_create([*arrays, *hosts])
    HostInitiator.objects.bulk_create(
        HostInitiator(host=host, identifier=host.initiator, known_by="iqn") for host in hosts
    )
    _ports(arrays, hosts)
    _devices(hosts, _volumes(made, arrays, hosts))
    stores = _datastores(made, group, hosts)
    _disks(made, stores, hosts)
    ended = now()
    Lot.objects.bulk_create(
        [
            Lot(kind="balance", title=f"Clear store-{n:03}", state="done", created_by=user, ended_at=ended)
            for n in range(LOTS)
        ]
    )
    everything_changed()
    return group.name


def _ports(arrays: list[Device], hosts: list[Device]) -> None:
    Portal.objects.bulk_create(
        Portal(
            device=array,
            name=f"{array.name}-{n}",
            uri=f"/p/{n}",
            controller="AB"[n % 2],
            network=f"10.40.{8 + n % 2}.{n + 11}/24",
            vlan=8 + n % 2,
            up=True,
        )
        for array in arrays
        for n in range(PORTALS)
    )
    HostPort.objects.bulk_create(
        HostPort(
            device=host,
            name=f"storage-{s}",
            uri=f"/i/{s}",
            network=f"10.40.{8 + s}.{20 + n % 200}/24",
            vlan=8 + s,
            up=True,
            active_uplinks=[f"uplink-{s}"],
        )
        for n, host in enumerate(hosts)
        for s in range(2)
    )


def _volumes(made: Group, arrays: list[Device], hosts: list[Device]) -> list[Volume]:
    pools = [
        Pool(
            device=arrays[n % ARRAYS],
            name=name,
            uri=f"/pool/{n}",
            identity=f"pool-{n}",
            capacity_bytes=10**15,
            allocated_bytes=6 * 10**14,
            subscribed_bytes=8 * 10**14,
            curve_l0_ms=curve.l0_ms,
            curve_x_max=curve.x_max,
            curve_beta=curve.beta,
            curve_gamma=curve.gamma,
            fit_samples=672,
            fit_seen_max=curve.x_max,
            fit_cautious=False,
        )
        for n, (name, curve) in enumerate(zip(made.pools, made.curves, strict=True))
    ]
    Pool.objects.bulk_create(pools)
    used = made.used(made.place)
    volumes = [
        Volume(
            device=pools[made.pool_of[n]].device,
            pool=pools[made.pool_of[n]],
            name=name,
            uri=f"/vol/{n}",
            serial=f"serial-{n}",
            size_bytes=int(made.capacity_bytes[n]),
            allocated_bytes=int(used[n]),
            controller="A",
            thin=True,
        )
        for n, name in enumerate(made.datastores)
    ]
    Volume.objects.bulk_create(volumes)
    names = [host.initiator for host in hosts]
    sets = {key: initiator_sets(key, [names])[key, initiator_listing(names)] for key in {v.device_id for v in volumes}}
    Offer.objects.bulk_create(
        Offer(device=v.device, volume=v, name=v.name, uri=f"/o/{n}", lun=n, initiator_set_id=sets[v.device_id])
        for n, v in enumerate(volumes)
    )
    return volumes


def _devices(hosts: list[Device], volumes: list[Volume]) -> None:
    """A device a host and volume, with a path for each pair of port and portal in one subnet; one host misses half."""
    for n, host in enumerate(hosts):
        over = {volume.device.name: _paths(volume.device.name, whole=n > 0) for volume in volumes}
        sets = path_sets({host.pk: over.values()})
        rows = [
            HostDevice(
                device=host,
                name=f"naa.{volume.serial}",
                uri=f"/d/{volume.serial}",
                serial=volume.serial,
                size_bytes=volume.size_bytes,
                lun=number,
                signature_kind="datastore",
                path_policy="RoundRobin",
                queue_depth=40,
                turn_ios=48,
                path_set_id=sets[host.pk, path_listing(over[volume.device.name])],
            )
            for number, volume in enumerate(volumes)
        ]
        HostDevice.objects.bulk_create(rows)


def _paths(array: str, whole: bool) -> list[list[str]]:
    """Paths to an array's portals, or half of them."""
    return [
        [f"storage-{p % 2}", f"{array}-{p}", "Optimized" if p % 2 == 0 else "NonOptimized"]
        for p in range(PORTALS)
        if whole or p % 2
    ]


def _datastores(made: Group, group: BalanceGroup, hosts: list[Device]) -> list[Datastore]:
    used = made.used(made.place)
    stores = [
        Datastore(
            identity=f"ds-{n}",
            name=name,
            capacity_bytes=int(made.capacity_bytes[n]),
            free_bytes=int(made.capacity_bytes[n] - used[n]),
            other_bytes=0,
        )
        for n, name in enumerate(made.datastores)
    ]
    Datastore.objects.bulk_create(stores)
    since = now()
    Extent.objects.bulk_create(
        Extent(datastore=store, number=0, serial=f"serial-{n}", size_bytes=store.capacity_bytes, since=since)
        for n, store in enumerate(stores)
    )
    GroupMember.objects.bulk_create(GroupMember(group=group, datastore=store) for store in stores)
    Mount.objects.bulk_create([Mount(datastore=s, host=h) for s in stores for h in hosts], batch_size=5000)
    today = date.today()
    days = [
        DatastoreDay(datastore=s, day=today - timedelta(days=d), used_bytes=10**12 - d * 10**9)
        for s in stores
        for d in range(30)
    ]
    DatastoreDay.objects.bulk_create(days, batch_size=2000)
    return stores


def _disks(made: Group, stores: list[Datastore], hosts: list[Device]) -> None:
    machines = [
        Machine(
            identity=f"machine-{n:05}",
            name=f"machine-{n:05}",
            os="Linux 6.1",
            address="10.40.20.1",
            power="On",
        )
        for n in range(DISKS // 2)
    ]
    Machine.objects.bulk_create(machines, batch_size=2000)
    since = now()
    MachinePlacement.objects.bulk_create(
        (
            MachinePlacement(machine=machine, host=hosts[n % HOSTS], uri=f"/vm/{n}", since=since)
            for n, machine in enumerate(machines)
        ),
        batch_size=2000,
    )
    reads, writes = (made.features[part].astype(np.float32) for part in (0, 1))
    kib = (8 * (1 + made.features[2] / np.maximum(made.features[0], 1e-9))).astype(np.float32)
    disks = [
        Disk(
            identity=name,
            name=name,
            machine=machines[n // 2],
            size_bytes=int(made.size_bytes[n]),
            pinned=bool(made.pinned[n]),
            weekday_profile=np.stack([reads[n], writes[n], kib[n]]).tobytes(),
        )
        for n, name in enumerate(made.disks)
    ]
    Disk.objects.bulk_create(disks, batch_size=1000)
    placements = (
        DiskPlacement(disk=disk, datastore=stores[place], since=since)
        for disk, place in zip(disks, made.place, strict=True)
    )
    DiskPlacement.objects.bulk_create(placements, batch_size=5000)


def _device(name: str, kind: str, number: int, cluster: Cluster | None) -> Device:
    return Device(
        name=name,
        kind=kind,
        url=f"https://127.41.{number // 250}.{number % 250}:9443",
        user="movelot",
        sealed_password=b"-",
        certificate_pem="-",
        fingerprint="-",
        cluster=cluster,
        initiator=f"iqn.2026-01.example.kestrelbay:{name}",
        copy_bytes_per_second=4e8,
    )
