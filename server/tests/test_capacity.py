"""Capacity on the stand-ins: runways told from what hosts tell of the past, and datastores grown with their volumes."""

from __future__ import annotations

from typing import Any

import pytest
from django.utils.timezone import now

from conftest import StandIns
from movelot.accounts.models import User
from movelot.capacity.judge import CapacityJudge
from movelot.capacity.known import uses
from movelot.capacity.rows import CURVES, KEPT_CURVES, all_rows, forecast_of
from movelot.findings.judging import WHOLE, keep
from movelot.inventory.models import Datastore, Grant, Pool, Volume
from movelot.lots.models import Lot
from movelot_core.capacity.forecast import runway
from server.tests.conftest import drafted, run_to_end
from server.tests.test_faults import store

TIB = 2**40
GIB = 2**30


def rows(kind: str) -> dict[str, Any]:
    return {row.name: row for row in all_rows(uses()).rows if row.kind == kind}


def checks(lot: Lot, level: str) -> str:
    return " ".join(check["text"] for check in lot.checks if check["level"] == level)


def sizes(estate: StandIns, name: str) -> tuple[int, int]:
    """Of a volume and the datastore on it, as the devices have them."""
    world = estate.world()
    (volume,) = [each["size_bytes"] for each in world["volumes"] if each["name"] == name]
    (capacity,) = [each["capacity_bytes"] for each in world["datastores"] if each["name"] == name]
    return volume, capacity


def test_runways_are_told_from_the_days_that_hosts_tell(estate: StandIns) -> None:
    found = rows("datastore")
    assert found["berth-a"].early == 0
    growing = found["slate-02"]
    assert growing.told
    # 18 GiB a day are planted, with the pattern of a week on top.
    assert growing.growth_bytes == pytest.approx(18 * GIB, rel=0.15)
    room = growing.ceiling * growing.capacity_bytes - growing.used_bytes
    assert growing.early <= room / (18 * GIB)
    assert growing.late is None or room / (18 * GIB) <= growing.late
    assert found["slate-03"].growth_bytes == 0
    for row in all_rows(uses()).rows:
        layers = sum(layer.size_bytes for layer in row.layers)
        assert layers + row.difference_bytes == row.capacity_bytes, row


def test_a_volume_that_was_grown_alone_is_found_and_its_datastore_follows(estate: StandIns, ines: User) -> None:
    found = list(CapacityJudge().judge(WHOLE, now()))
    (finding,) = [each for each in found if each.kind.name == "left_behind"]
    assert (finding.subject.name, finding.evidence.missing_bytes) == ("slate-03", TIB)
    remedy = finding.kind.remedy(finding.subject, finding.evidence)
    assert remedy is not None
    lot = run_to_end(drafted(remedy.kind, ines, **remedy.form))
    assert lot.state == Lot.State.DONE
    # Nothing is grown on the array: each host sees the size already, one of them grows the datastore.
    assert {step.kind for step in lot.steps.all()} == {"see_size", "grow_datastore"}
    assert sizes(estate, "slate-03") == (5 * TIB, 5 * TIB)
    assert not [each for each in CapacityJudge().judge(WHOLE, now()) if each.kind.name == "left_behind"]


def test_several_grow_at_once_and_each_host_sees_it_first(estate: StandIns, ines: User) -> None:
    before = {name: sizes(estate, name) for name in ("berth-b", "berth-c")}
    lot = drafted("grow", ines, datastores=[store("berth-b"), store("berth-c")], how="by", amount="1 TiB")
    assert "volume 6.00 TiB → 7.00 TiB, datastore 6.00 TiB → 7.00 TiB" in checks(lot, "pass")
    done = run_to_end(lot)
    assert done.state == Lot.State.DONE
    for name, (volume, capacity) in before.items():
        assert sizes(estate, name) == (volume + TIB, capacity + TIB)
    # Each of three hosts sees both; all read back what was predicted.
    assert done.steps.filter(kind="see_size").count() == 6
    assert all(row["predicted"] == row["measured"] for row in done.outcome["rows"])
    assert Datastore.objects.get(name="berth-b").capacity_bytes == 7 * TIB


def planned(ines: User, name: str, **form: str) -> int:
    """Bytes that a datastore is to have."""
    after: int = drafted("grow", ines, datastores=[store(name)], **form).plan["links"][0]["store_after"]
    return after


def test_how_far_it_grows_may_be_a_size_a_fill_or_a_runway(estate: StandIns, ines: User) -> None:
    told = all_rows(uses())
    keep(CURVES, "", KEPT_CURVES.dump_python(told.curves, mode="json"))
    assert planned(ines, "berth-b", how="to", amount="6.5 TiB") == 6.5 * TIB
    full = rows("datastore")["berth-a"]
    after = planned(ines, "berth-a", how="fill", amount="75 %")
    assert full.used_bytes / after <= 0.75 < full.used_bytes / (after - GIB)
    short = drafted("grow", ines, datastores=[store("berth-a")], how="by", amount="1 GiB")
    assert "berth-a is over its fill ceiling of 82 % still" in checks(short, "warn")
    # With that much its ceiling is not reached before the 300th day, and with a GiB less it may be.
    growing = rows("datastore")["slate-02"]
    after = planned(ines, "slate-02", how="days", amount="300")
    forecast = forecast_of(told.curves[f"datastore-{growing.id}"])
    early = [runway(forecast, growing.ceiling * size).early for size in (after, after - 2 * GIB)]
    assert (early[0] or 400) >= 300 >= (early[1] or 0)


def test_what_cannot_grow_says_why(estate: StandIns, ines: User) -> None:
    def refused(**form: Any) -> str:
        lot = drafted("grow", ines, **form)
        assert lot.steps.count() == 0
        return checks(lot, "stop")

    assert "file systems are not grown from here yet" in refused(datastores=[store("sand-01")], amount="1 TiB")
    assert "has 6.00 TiB already" in refused(datastores=[store("berth-b")], how="to", amount="5 TiB")
    assert "is no fill" in refused(datastores=[store("berth-b")], how="fill", amount="lots")
    assert "Type how far it grows" in refused(datastores=[store("berth-b")])
    assert "Choose datastores" in refused(datastores=[], amount="1 TiB")
    assert "granite-fast has" in refused(datastores=[store("berth-b")], amount="300 TiB")
    pool = Pool.objects.get(name="granite-fast")
    promised = sum(Volume.objects.filter(pool=pool).values_list("size_bytes", flat=True))
    Grant.objects.update_or_create(pool=pool, defaults={"quota_bytes": promised + GIB, "granted_by": "tobias.wren"})
    assert "of its grant are not promised yet" in refused(datastores=[store("berth-b")], amount="2 TiB")
