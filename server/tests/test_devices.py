"""Linking, pinning, reading and learning."""

from __future__ import annotations

import re
from dataclasses import replace
from datetime import UTC, datetime, timedelta
from typing import Any

import pytest
from django.db import IntegrityError, transaction

from conftest import StandIns
from movelot.devices.array import read_array
from movelot.devices.certificate import fingerprint_of
from movelot.devices.errors import DeviceOdd
from movelot.devices.host import read_host
from movelot.devices.linking import link, pin_again, probe
from movelot.devices.reading import collect, reread
from movelot.devices.sealing import seal, unseal
from movelot.devices.session import session_with
from movelot.devices.shape import check_shape
from movelot.findings.judging import judge_due
from movelot.findings.models import Finding
from movelot.inventory.capabilities import label_of
from movelot.inventory.models import Datastore, Device, Disk, DiskDay, Machine, Pool, PoolHour, Reading
from movelot.inventory.store import unlink
from movelot.inventory.telemetry import KEPT_DAYS, prune
from movelot.problems import Problem


def test_a_password_is_sealed_and_never_stored_as_it_is() -> None:
    sealed = seal("a secret")
    assert b"a secret" not in sealed
    assert unseal(sealed) == "a secret"


def test_a_device_is_linked_only_with_the_fingerprint_it_shows(estate: StandIns) -> None:
    card = estate.cards["quay-01"]
    unlink(Device.objects.get(name="quay-01"))
    with pytest.raises(Problem) as differs:
        link(card["url"], card["user"], card["password"], "AA:BB")
    assert differs.value.code == "fingerprint_differs"
    device = link(card["url"], card["user"], card["password"], probe(card["url"]).fingerprint)
    assert (device.kind, device.cluster and device.cluster.name) == ("host", "quayside")


def test_a_second_device_of_a_name_is_not_linked(estate: StandIns) -> None:
    card = estate.cards["quay-01"]
    unlink(Device.objects.get(name="quay-01"))
    Device.objects.filter(name="quay-02").update(name="quay-01")
    with pytest.raises(Problem) as taken:
        link(card["url"], card["user"], card["password"], probe(card["url"]).fingerprint)
    assert (taken.value.status, taken.value.code) == (409, "name_taken")
    assert Device.objects.filter(name="quay-01").count() == 1


def test_a_connection_that_is_closed_instead_of_an_answer_is_tried_once_more(estate: StandIns) -> None:
    device = Device.objects.get(name="quay-01")
    estate.fault("quay-01", "cut", 1)
    assert reread([device]) == {}
    estate.fault("quay-01", "cut", 2)
    assert reread([device])["quay-01"].code == "device_away"
    device.refresh_from_db()
    assert device.state == Device.State.AWAY
    assert reread([device]) == {}


def test_what_each_array_can_do_is_discovered_with_a_detail(estate: StandIns) -> None:
    told = {
        array.name: {label_of(each.code): each.detail for each in array.capabilities.all() if each.able}
        for array in Device.objects.filter(kind="array")
    }
    assert told["basalt"]["tiers"] == "on basalt-bulk"
    assert told["granite"]["snapshots elsewhere"] == "kept on basalt"
    assert told["chalk"]["guaranteed IOPS"] == "a least for each volume"
    assert told["chalk"]["volume sets"] == "4 sets of 60 volumes"
    assert not told["shale"].keys() & {"copy offload", "snapshots elsewhere", "guaranteed IOPS", "volume sets"}


def test_a_refused_account_links_nothing(estate: StandIns) -> None:
    card = estate.cards["quay-01"]
    unlink(Device.objects.get(name="quay-01"))
    with pytest.raises(Problem) as refused:
        link(card["url"], card["user"], "wrong", probe(card["url"]).fingerprint)
    assert refused.value.code == "device_refused"
    assert not Device.objects.filter(name="quay-01").exists()


@pytest.mark.parametrize(
    "address", ["", "http://127.40.0.10", "https://", "https://host:port", "ftp://x", "https://h/path"]
)
def test_an_address_that_is_none_is_refused(db: None, address: str) -> None:
    with pytest.raises(Problem):
        probe(address)


def test_another_certificate_stops_all_traffic_until_it_is_pinned_again(estate: StandIns) -> None:
    device = Device.objects.get(name="quay-02")
    old = device.fingerprint
    estate.fault("quay-02", "certificate")
    failed = reread([device])
    device.refresh_from_db()
    assert device.state == Device.State.CERTIFICATE
    assert old in failed["quay-02"].message
    shown = probe(device.url).fingerprint
    assert shown in failed["quay-02"].message
    judge_due()
    assert Finding.objects.filter(kind="device_trouble", subject_id=device.pk, gone_at=None).exists()
    pin_again(device, shown)
    device.refresh_from_db()
    assert (device.state, device.fingerprint) == (Device.State.LINKED, shown)
    judge_due()
    assert not Finding.objects.filter(kind="device_trouble", subject_id=device.pk, gone_at=None).exists()


def test_the_clock_of_a_device_that_is_linked_again_is_judged_again(estate: StandIns) -> None:
    device = Device.objects.get(name="granite")
    off = Finding.objects.filter(kind="clock_off", subject_id=device.pk, gone_at=None)
    judge_due()
    assert off.exists()
    unlink(device)
    judge_due()
    assert not off.exists()
    card = estate.cards["granite"]
    link(card["url"], card["user"], card["password"], probe(card["url"]).fingerprint)
    judge_due()
    assert off.exists()


@pytest.mark.parametrize(("fault", "state"), [("refuse", "away"), ("timeout", "away"), ("away", "away")])
def test_a_device_in_trouble_keeps_its_rows_and_says_why(estate: StandIns, fault: str, state: str) -> None:
    disks = Disk.objects.count()
    estate.fault("quay-01", fault)
    reread([Device.objects.get(name="quay-01")])
    estate.fault("quay-01")
    device = Device.objects.get(name="quay-01")
    assert device.state == state
    assert device.detail
    assert Disk.objects.count() == disks


def test_an_unchanged_reading_is_known_by_its_digest_and_changes_no_row(estate: StandIns) -> None:
    device = Device.objects.get(name="granite")
    reread([device])
    reread([device])
    latest = Reading.objects.filter(device=device).latest("pk")
    assert not latest.changed
    assert latest.seconds < 2


def test_what_a_device_no_longer_names_is_gone(estate: StandIns) -> None:
    host = Device.objects.get(name="quay-01")
    machine = Machine.objects.filter(placement__host=host).first()
    Disk.objects.create(identity="ghost", name="ghost", machine=machine, size_bytes=1)
    estate.control("grow", datastore="berth-a", bytes=1)
    reread([host])
    assert not Disk.objects.filter(identity="ghost").exists()


def test_thirty_days_are_learned_at_the_first_reading(estate: StandIns) -> None:
    for pool in Pool.objects.filter(volumes__isnull=False).distinct():
        assert pool.fit_samples > 600
        # These are hardly used: what was seen of them says little of what they could carry.
        if pool.name.startswith(("shale", "basalt")):
            assert pool.fit_cautious
        assert pool.fit_error_ms < 0.3
    assert not Pool.objects.get(name="granite-mixed").fit_cautious
    assert not Disk.objects.filter(weekday_profile=b"").exists()


def test_samples_are_not_counted_twice(estate: StandIns) -> None:
    before = dict(DiskDay.objects.values_list("pk", "loads"))
    features = dict(PoolHour.objects.values_list("pk", "reads"))
    Device.objects.update(telemetry_until=None)
    collect(Device.objects.all())
    news = DiskDay.objects.exclude(pk__in=before)
    assert set(news.values_list("day", flat=True)) <= {datetime.now(UTC).date()}
    grown = [key for key, loads in DiskDay.objects.values_list("pk", "loads") if before.get(key, loads) != loads]
    assert set(DiskDay.objects.filter(pk__in=grown).values_list("day", flat=True)) <= {datetime.now(UTC).date()}
    # What is summed of the samples is not summed anew.
    ended = PoolHour.objects.filter(pk__in=features, hour__lt=datetime.now(UTC) - timedelta(hours=3))
    assert all(reads == features[key] for key, reads in ended.values_list("pk", "reads"))


def test_old_samples_are_pruned(estate: StandIns) -> None:
    pool = Pool.objects.first()
    old = datetime.now(UTC) - timedelta(days=KEPT_DAYS + 1)
    PoolHour.objects.create(pool=pool, hour=old, latency_ms=1.0)
    assert prune(datetime.now(UTC)) >= 1
    assert not PoolHour.objects.filter(hour__lte=old).exists()


def test_the_database_refuses_what_cannot_be(estate: StandIns) -> None:
    store = Datastore.objects.first()
    assert store is not None
    store.free_bytes = store.capacity_bytes + 1
    with pytest.raises(IntegrityError), transaction.atomic():
        store.save()


def test_the_fingerprint_is_that_of_the_certificate_file(estate: StandIns) -> None:
    from pathlib import Path

    card = estate.cards["granite"]
    assert probe(card["url"]).fingerprint == fingerprint_of(Path(card["certificate"]).read_text())


@pytest.mark.parametrize(
    ("fault", "said"),
    [
        ("nonsense", "Systems has no Members"),
        ("strange", "CapacityBytes|size_bytes is str"),
        ("html", "is not JSON|cannot be read|does not answer"),
        ("endless", "without end"),
    ],
)
def test_a_device_that_answers_nonsense_is_marked_with_the_field_and_all_others_are_read(
    estate: StandIns, monkeypatch: pytest.MonkeyPatch, fault: str, said: str
) -> None:
    monkeypatch.setattr("movelot.devices.bounded.ANSWER_BYTES_MAX", 4 * 1024**2)
    disks = Disk.objects.count()
    before = dict(Device.objects.values_list("name", "read_at"))
    estate.fault("quay-01", fault)
    failed = reread(Device.objects.all())
    estate.fault("quay-01")
    assert list(failed) == ["quay-01"]
    assert re.search(said, failed["quay-01"].message), failed["quay-01"].message
    odd = Device.objects.get(name="quay-01")
    assert (odd.state, odd.read_at) == (Device.State.FAULTY, before["quay-01"])
    assert all(when > before[name] for name, when in Device.objects.values_list("name", "read_at") if name != "quay-01")
    assert Disk.objects.count() == disks
    assert reread(Device.objects.all()) == {}
    assert Device.objects.get(name="quay-01").state == Device.State.LINKED


@pytest.mark.parametrize(
    ("part", "row", "said"),
    [
        ("pools", {"capacity_bytes": "much"}, "pools[0].capacity_bytes is str"),
        ("pools", {"name": "x" * 200}, "pools[0].name has 200 characters; 128 is the most"),
        ("pools", {"allocated_bytes": 2**70}, "pools[0].allocated_bytes is out of range"),
        ("volumes", {"thin": 1}, "volumes[0].thin is int"),
        ("volumes", {"pool_uri": "/nowhere"}, "volumes[0].pool_uri leads to no pool"),
        ("offers", {"lun": -1}, "offers[0].lun is out of range"),
        ("offers", {"initiators": "iqn"}, "offers[0].initiators is str, not a list"),
        ("offers", {"initiators": [7]}, "offers[0].initiators[0].identifier is int"),
    ],
)
def test_a_value_that_an_array_tells_and_does_not_fit_is_named(
    estate: StandIns, part: str, row: dict[str, Any], said: str
) -> None:
    device = Device.objects.get(name="granite")
    reading = read_array(session_with(device))
    check_shape(device, reading)
    getattr(reading, part)[0] |= row
    with pytest.raises(DeviceOdd) as refused:
        check_shape(device, reading)
    assert said in refused.value.message


@pytest.mark.parametrize(
    ("part", "told", "said"),
    [
        ("sessions", {"iqn.x": [["storage-a"]]}, "sessions[iqn.x][0] is not 2 values"),
        ("sessions", {"iqn.x": "all"}, "sessions[iqn.x] is str, not a list"),
        ("subsystems", {"nqn.x": [["nvme-a", 4]]}, "subsystems[nqn.x][0].portal is int"),
        ("chap", {"iqn.x": 1}, "chap[iqn.x].chap is int"),
        ("devices", [{"paths": [["storage-a", "A1"]]}], "devices[0].paths[0] is not 3 values"),
        ("devices", [{"paths": [["storage-a", "A1", None]]}], "devices[0].paths[0].access is NoneType"),
    ],
)
def test_a_value_that_a_host_tells_and_does_not_fit_is_named(estate: StandIns, part: str, told: Any, said: str) -> None:
    device = Device.objects.get(name="quay-01")
    reading = read_host(session_with(device))
    check_shape(device, reading)
    with pytest.raises(DeviceOdd) as refused:
        check_shape(device, replace(reading, **{part: told}))
    assert said in refused.value.message
