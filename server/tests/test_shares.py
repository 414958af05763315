"""Readings shared out among workers: who reads what, which of two readings counts, and two that store at once."""

from __future__ import annotations

import os
import subprocess
import sys
from collections.abc import Iterator
from dataclasses import replace
from datetime import timedelta
from pathlib import Path

import pytest
from django.conf import settings
from django.utils.timezone import now

from conftest import ROOT, WORKER, StandIns
from movelot.devices import reading
from movelot.devices.reading import shares
from movelot.devices.tasks import read_share
from movelot.inventory.models import Cluster, Datastore, Device, Disk, Machine, Reading
from movelot.inventory.readings import HostReading
from movelot.inventory.store import Taken, store_readings, unlink
from server.tests.conftest import held_elsewhere
from server.tests.test_migrations import sql

NAME = f"test_movelot_shares_{WORKER}"


def host(name: str, free: int = 5, cluster: str = "quayside") -> HostReading:
    """What a host says that mounts one datastore, with so many bytes free."""
    extents = [{"serial": "s1", "size_bytes": 10}]
    store = {"identity": "ds-1", "name": "berth", "extents": extents, "capacity_bytes": 10, "free_bytes": free}
    mount = {"server": "", "path": "", "version": "", "ways": []}
    return HostReading(
        name, cluster, "", 0.0, 0.0, [], 5.0, [], [], [{**store, "other_bytes": 0, "contents": [], "mount": mount}]
    )


def device(name: str, cluster: str = "", **more: object) -> Device:
    found = Cluster.objects.get_or_create(name=cluster)[0] if cluster else None
    return Device.objects.create(name=name, kind="host", url=f"https://{name}.example", cluster=found, **more)


@pytest.fixture
def empty(db: None) -> None:
    """No device is linked."""
    Device.known.all().delete()


def test_hosts_of_a_cluster_are_one_share_and_what_was_read_longest_ago_comes_first(
    empty: None, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(reading, "SHARE", 2)
    moment = now()
    old, new = moment - timedelta(minutes=5), moment - timedelta(seconds=5)
    array = Device.objects.create(name="granite", kind="array", url="https://granite.example", read_at=new)
    quays = [device(f"quay-{n}", "quayside", read_at=old if n == 3 else new) for n in (1, 2, 3)]
    never = device("gate-1", "gatehouse")
    device("changed", "gatehouse", state=Device.State.CERTIFICATE)
    device("file", "gatehouse", state=Device.State.IMPORTED, read_at=old)
    told = [[each.pk for each in share] for share in ([never], [quays[2]], [array], quays[:2])]
    assert shares()[:2] == told[:2]
    assert sorted(shares()[2:]) == sorted(told[2:])


def test_a_share_that_another_worker_still_reads_is_left_to_it(estate: StandIns) -> None:
    keys = list(Device.objects.filter(name__startswith="light").values_list("pk", flat=True))
    before = Reading.objects.count()
    with held_elsewhere(f"share-{keys[0]}"):
        read_share(keys)
    assert Reading.objects.count() == before
    read_share(keys)
    assert Reading.objects.count() == before + len(keys)


def test_an_older_reading_does_not_overwrite_a_newer_one(empty: None) -> None:
    one, moment = device("quay-1"), now()
    store_readings([Taken(one, host("quay-1", free=3), moment)])
    store_readings([Taken(one, host("quay-1", free=7), moment - timedelta(seconds=2))])
    assert Datastore.objects.get(identity="ds-1").free_bytes == 3
    assert Reading.objects.filter(device=one).count() == 1
    store_readings([Taken(one, host("quay-1", free=7), moment + timedelta(seconds=2))])
    assert Datastore.objects.get(identity="ds-1").free_bytes == 7


def test_a_machine_that_a_second_host_lists_for_a_while_is_taken_from_nobody(empty: None) -> None:
    """quay-1 lists it all the time; quay-2 lists it in one reading, as in a migration that is given up."""
    one, two = device("quay-1"), device("quay-2")
    machine = {"identity": "m-1", "name": "payroll", "uri": "/m/1", "etag": "", "os": "", "address": "", "power": "On"}
    disk = {"identity": "d-1", "name": "disk", "size_bytes": 10, "datastore": "ds-1", "raw_serial": "", "shared": False}
    mine = replace(host("quay-1"), machines=[{**machine, "disks": [disk]}])
    there = replace(host("quay-2"), machines=mine.machines)

    def told(which: Device, said: HostReading) -> str:
        store_readings([Taken(which, said, now())])
        return Machine.objects.get(identity="m-1").host.name

    assert told(one, mine) == "quay-1"
    assert told(two, there) == "quay-2"
    assert told(one, mine) == "quay-2"
    assert told(two, host("quay-2")) == "quay-1"
    assert Disk.objects.get(identity="d-1").datastore.name == "berth"
    unlink(one)
    assert not Machine.objects.filter(identity="m-1").exists()


@pytest.fixture(scope="module")
def elsewhere(services: None) -> Iterator[dict[str, str]]:
    """The environment of processes with an empty database of their own, which commit what they store."""
    sql(f"DROP DATABASE IF EXISTS {NAME}; CREATE DATABASE {NAME} CHARACTER SET utf8mb4", "")
    path = os.pathsep.join(str(ROOT / room) for room in ("core", "server", "."))
    environment = {**os.environ, "PYTHONPATH": path, "MOVELOT_DB_NAME": NAME, "MOVELOT_RUN": str(settings.RUN)}
    command = [sys.executable, str(ROOT / "server" / "manage.py"), "migrate", "--verbosity", "0"]
    done = subprocess.run(command, env=environment, capture_output=True, text=True, check=False)
    assert done.returncode == 0, done.stderr
    yield environment
    sql(f"DROP DATABASE {NAME}", "")


def test_two_workers_store_what_they_share_at_once(elsewhere: dict[str, str]) -> None:
    """Each stores hosts of both clusters, which mount the same datastores and pass machines to one another."""
    script = Path(__file__).with_name("store_again_and_again.py")
    workers = [
        subprocess.Popen([sys.executable, str(script), str(n)], env=elsewhere, stderr=subprocess.PIPE, text=True)
        for n in range(3)
    ]
    told = [worker.communicate(timeout=120)[1] for worker in workers]
    assert [worker.returncode for worker in workers] == [0, 0, 0], "\n".join(each[-2000:] for each in told)
    counts = {table: int(sql(f"SELECT COUNT(*) FROM inventory_{table}", NAME)[0][0]) for table in TABLES}
    assert counts == TABLES


# Datastores, hosts, machines and clusters of the script: each is there once, whoever told of it.
TABLES = {"datastore": 6, "device": 12, "mount": 72, "machine": 12, "machineplacement": 12, "disk": 12, "cluster": 82}
