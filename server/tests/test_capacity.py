"""Capacity on the stand-ins: runways told from what hosts tell of the past, and datastores grown with their volumes."""

from __future__ import annotations

from datetime import date, timedelta
from typing import Any

import pytest
from django.utils.timezone import now
from rest_framework.test import APIClient

from conftest import StandIns
from movelot.accounts.models import User
from movelot.capacity.judge import CapacityJudge
from movelot.capacity.known import uses
from movelot.capacity.rows import CURVES, KEPT_CURVES, all_rows, forecast_of
from movelot.findings.judging import WHOLE, keep
from movelot.inventory.models import Datastore, Grant, Pool, PoolDay, Volume
from movelot.lots import actions
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

    assert "has 6.00 TiB already" in refused(datastores=[store("berth-b")], how="to", amount="5 TiB")
    assert "is no fill" in refused(datastores=[store("berth-b")], how="fill", amount="lots")
    assert "Type how far it grows" in refused(datastores=[store("berth-b")])
    assert "Choose datastores" in refused(datastores=[], amount="1 TiB")
    assert "granite-fast has" in refused(datastores=[store("berth-b")], amount="300 TiB")
    pool = Pool.objects.get(name="granite-fast")
    promised = sum(Volume.objects.filter(pool=pool).values_list("size_bytes", flat=True))
    Grant.objects.update_or_create(pool=pool, defaults={"quota_bytes": promised + GIB, "granted_by": "tobias.wren"})
    assert "of its grant are not promised yet" in refused(datastores=[store("berth-b")], amount="2 TiB")


def test_an_export_grows_and_shrinks_and_each_host_sees_it(estate: StandIns, ines: User) -> None:
    grown = run_to_end(drafted("grow", ines, datastores=[store("sand-01")], how="by", amount="1 TiB"))
    assert grown.state == Lot.State.DONE
    assert sizes(estate, "sand-01") == (7 * TIB, 7 * TIB)
    # Nothing is scanned, and no datastore is grown: an export is as large as its file system.
    assert {step.kind for step in grown.steps.all()} == {"resize_file_system", "see_export"}
    pool = Pool.objects.get(name="shale-deep").subscribed_bytes
    lot = drafted("shrink", ines, datastores=[store("sand-01")], how="fill", amount="75 %")
    after = lot.plan["links"][0]["store_after"]
    row = rows("datastore")["sand-01"]
    assert row.used_bytes / after <= 0.75 < row.used_bytes / (after - GIB)
    done = run_to_end(lot)
    assert done.state == Lot.State.DONE
    assert sizes(estate, "sand-01") == (after, after)
    assert all(each["predicted"] == each["measured"] for each in done.outcome["rows"])
    # What it was promised returned to its pool.
    assert pool - Pool.objects.get(name="shale-deep").subscribed_bytes == 7 * TIB - after
    assert run_to_end(actions.undo(done, ines)).state == Lot.State.DONE
    assert sizes(estate, "sand-01") == (7 * TIB, 7 * TIB)


def test_what_cannot_shrink_says_why(estate: StandIns, ines: User) -> None:
    def refused(name: str, how: str, amount: str) -> str:
        lot = drafted("shrink", ines, datastores=[store(name)], how=how, amount=amount)
        assert lot.steps.count() == 0
        return checks(lot, "stop")

    assert "have it emptied and made anew" in refused("berth-b", "fill", "75 %")
    assert "with a margin of 5 % it keeps" in refused("sand-01", "fill", "99 %")
    assert "which is no more than that" in refused("sand-01", "to", "6 TiB")
    assert "is no fill" in refused("sand-01", "fill", "half")
    tight = drafted("shrink", ines, datastores=[store("sand-01")], how="fill", amount="90 %")
    assert "sand-01 is over its fill ceiling of 82 % then" in checks(tight, "warn")


def test_pools_have_days_of_their_own_from_their_arrays(estate: StandIns) -> None:
    pool = rows("pool")["basalt-deep"]
    assert pool.rests_on == "its own days"
    # slate-01 and slate-02 are on it: 6 and 18 GiB a day.
    assert pool.growth_bytes == pytest.approx(24 * GIB, rel=0.15)
    days = PoolDay.objects.filter(pool__name="basalt-deep").order_by("day")
    first, last = days.first(), days.last()
    assert first is not None
    assert last is not None
    assert (last.allocated_bytes - first.allocated_bytes) / (last.day - first.day).days == pytest.approx(
        24 * GIB, rel=0.2
    )
    # A pool that answers for seven days only would be told from its datastores.
    PoolDay.objects.filter(pool__name="basalt-deep", day__gt=first.day + timedelta(days=6)).delete()
    assert rows("pool")["basalt-deep"].rests_on == "days of its datastores"


def test_a_pool_tells_what_it_is_made_of_and_what_moved_between_its_tiers(estate: StandIns, api: APIClient) -> None:
    found = api.get(f"/api/capacity/pools/{Pool.objects.get(name='basalt-bulk').pk}/").json()
    assert {(each["media"], each["state"], each["count"]) for each in found["drives"]} == {
        ("SSD", "in use", 3),
        ("HDD", "in use", 27),
        ("HDD", "spare", 2),
    }
    assert (found["array"], found["relocation"], found["cache_bytes"]) == ("basalt", "22:00-04:00", 64 * GIB)
    days = [[(day["used_bytes"], day["moved_in_bytes"]) for day in tier["days"]] for tier in found["tiers"]]
    assert len(days[0]) == len(days[1]) >= 7
    # Whatever moves, what lies on all tiers together is what the pool held on that day.
    held = dict(PoolDay.objects.filter(pool__name="basalt-bulk").values_list("day", "allocated_bytes"))
    for number, day in enumerate(found["tiers"][0]["days"]):
        together = sum(tier["days"][number]["used_bytes"] for tier in found["tiers"])
        assert together == pytest.approx(held[date.fromisoformat(day["day"])], rel=0.001)
    assert all(moved > 0 for _used, moved in days[0])
    assert [(volume["name"], volume["thin"]) for volume in found["volumes"]] == [("slate-03", True)]
    assert [each["name"] for each in found["neighbours"]] == ["basalt-deep"]
    assert api.get("/api/capacity/pools/987654/").status_code == 404


def test_a_pool_is_grown_by_drives_that_belong_to_none(estate: StandIns, ines: User) -> None:
    pool = Pool.objects.get(name="basalt-deep")
    assert (pool.drives, pool.addable_drives, pool.capacity_bytes) == (24, 6, 24 * TIB)
    lot = drafted("grow_pool", ines, pool="basalt-deep", drives=6)
    # 24 drives of 1.33 TiB, of which 18 hold data: six give 6 TiB at that share, and 8 at most.
    assert "from 6.00 TiB to 8.00 TiB more" in checks(lot, "pass")
    done = run_to_end(lot)
    pool.refresh_from_db()
    # Its RAID groups were of eight and are of ten: no more parity is needed.
    assert (pool.drives, pool.addable_drives, pool.capacity_bytes // TIB) == (30, 0, 32 - 1)
    assert {row["figure"]: row["measured"] for row in done.outcome["rows"]}["drives"] == 30
    none = drafted("grow_pool", ines, pool="basalt-deep", drives=1)
    assert "basalt tells of no drive that could join basalt-deep" in checks(none, "stop")


def test_a_pool_gets_no_more_drives_than_there_are(estate: StandIns, ines: User) -> None:
    for drives in (0, 7):
        lot = drafted("grow_pool", ines, pool="basalt-deep", drives=drives)
        assert "Choose 1 to 6" in checks(lot, "stop")


def test_levels_lead_from_guests_to_drives_and_fit_one_another(estate: StandIns, api: APIClient) -> None:
    """Each level's figure of what lies above it is the one that stands there."""

    def levels(kind: str, key: int) -> dict[str, dict[str, int]]:
        told = api.get(f"/api/capacity/{kind}/{key}/levels/").json()["levels"]
        return {each["level"]: {fact["what"]: fact["size_bytes"] for fact in each["facts"]} for each in told}

    found = levels("datastore", store("slate-02"))
    assert list(found) == ["disks", "datastore", "volume", "pool", "drives"]
    disks, lying, volume, pool, drives = found.values()
    assert disks["taken of the datastore"] == lying["disks"] > disks["written by guests"] > 0
    assert sum(lying.values()) - lying["capacity"] == lying["capacity"]
    # Planted: three TiB of dead blocks.
    used = lying["capacity"] - lying["free"]
    assert volume["of which nothing above uses"] == volume["held, before it is reduced"] - used >= 3 * TIB
    assert volume["held in the pool"] == pool["held by slate-02"]
    assert pool["held by slate-02"] + pool["held by others"] + pool["free"] == pool["capacity"] == drives["in the pool"]
    assert drives["all of them"] == drives["in the pool"] + drives["parity, copies, and the array's own"]
    # On an export the same, by other words.
    assert list(levels("datastore", store("sand-01"))) == ["disks", "datastore", "file system", "pool", "drives"]
    deep = Pool.objects.get(name="basalt-deep")
    whole = levels("pool", deep.pk)
    assert whole["volumes"]["held in the pool"] == deep.allocated_bytes
    assert api.get(f"/api/capacity/group/{deep.pk}/levels/").status_code == 404
