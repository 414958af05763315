"""Ways of working: laid over the week, put in force by the clock, out to a calendar and in again."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta
from typing import Any

import pytest
from rest_framework.test import APIClient

from movelot.accounts.models import Role, User
from movelot.audit.models import Entry
from movelot.balance.ways import follow
from movelot.findings.judging import judge_due
from movelot.findings.models import Finding
from movelot.inventory.changes import everything_changed
from movelot.inventory.known_groups import known_group
from movelot.inventory.models import BalanceGroup, Datastore, Disk, Rehearsal, WayOfWorking
from movelot_core.balance.week import Bar
from server.tests.conftest import drafted, signed_in
from server.worlds.tests.world import World, person

HOSTS = ("quay-1", "quay-2")
WEEK = "/api/balance/groups/quayside/week/"
ACTS = "/api/balance/groups/quayside/acts/"
# 23:30 on a Monday in Oslo in winter.
MONDAY_NIGHT = datetime(2026, 11, 30, 22, 30, tzinfo=UTC)
NIGHT = {"name": "Night", "does": "act", "most_bytes": 2**41, "most_copies": 2, "fill_ceiling": 0.7}
DAY = {"name": "Day", "does": "advise"}
FERRIES = {"name": "Ferries", "does": "still"}
NIGHTS = [{"way": "Night", "begins": 24 * day + 20, "hours": 9} for day in range(5)]
DAYS = [{"way": "Day", "begins": 24 * day + 5, "hours": 15} for day in range(5)]


def week(**changed: Any) -> dict[str, Any]:
    return {"zone": "Europe/Oslo", "ways": [NIGHT, DAY, FERRIES], "bars": NIGHTS + DAYS, "exceptions": [], **changed}


@pytest.fixture
def quayside(world: World) -> World:
    world.array("flint", fast=60)
    for host in HOSTS:
        world.host(host)
    for name, fill in (("berth-a", 0.75), ("berth-b", 0.4)):
        world.datastore(name, [world.volume("flint", "fast", name, 4, HOSTS)], 4, fill, HOSTS)
    world.machine("ledger", "quay-1", **{f"d{n}": ("berth-a", 300) for n in range(8)})
    world.read()
    return world


def put(client: APIClient, form: dict[str, Any], path: str = WEEK, seen: str = "") -> Any:
    answer = client.put(path, form, format="json", headers={"If-Match": seen} if seen else {})
    everything_changed()
    return answer


def stored(answer: Any) -> None:
    assert answer.status_code == 200, answer.json()


def group() -> BalanceGroup:
    return BalanceGroup.objects.get(name="quayside")


def ceilings() -> tuple[float, float]:
    found = known_group(group()).group
    return found.fill_ceiling, found.latency_ceiling_ms


def follow_at(moment: datetime) -> None:
    follow(moment)
    everything_changed()


def test_the_way_in_force_brings_its_ceilings_and_they_go_with_it(quayside: World, api: APIClient) -> None:
    assert put(api, week()).status_code == 200
    follow_at(MONDAY_NIGHT)
    assert ceilings() == (0.7, 9.0)
    judge_due()
    assert Finding.objects.filter(kind="over_fill", subject_name="berth-a", gone_at=None).exists()
    # What people set meanwhile is the group's own: it holds once the night is over.
    stored(put(api, {"fill_ceiling": 0.8, "latency_ceiling_ms": 6.0}, WEEK.replace("week", "ceilings")))
    assert ceilings() == (0.7, 6.0)
    follow_at(MONDAY_NIGHT + timedelta(hours=6))
    assert (ceilings(), group().in_force_id) == ((0.8, 6.0), WayOfWorking.objects.get(name="Day").pk)
    judge_due()
    assert not Finding.objects.filter(kind="over_fill", subject_name="berth-a", gone_at=None).exists()


def test_an_exception_holds_between_its_ends(quayside: World, api: APIClient) -> None:
    ends = MONDAY_NIGHT + timedelta(hours=2)
    close = {"way": "Ferries", "begins": MONDAY_NIGHT.isoformat(), "ends": ends.isoformat(), "reason": "month-end"}
    stored(put(api, week(exceptions=[close])))
    follow(MONDAY_NIGHT)
    assert (group().in_force.name, group().in_force_until) == ("Ferries", ends)  # type: ignore[union-attr]
    follow(ends)
    assert group().in_force.name == "Night"  # type: ignore[union-attr]
    (row,) = api.get("/api/balance/groups/").json()
    assert row["in_force"] == "Night: would act, nobody let it until Tue 05:00"


def test_hours_in_which_a_group_keeps_still_are_said_of_what_people_draft(
    quayside: World, api: APIClient, ines: User
) -> None:
    still = [{"way": "Ferries", "begins": 0, "hours": 168}]
    disk = Disk.objects.get(identity="ledger-d0")
    moves = [{"disk": disk.pk, "target": Datastore.objects.get(name="berth-b").pk}]
    stored(put(api, week(bars=still)))

    def told() -> str:
        return str(api.get("/api/balance/groups/").json()[0]["in_force"])

    assert told() == "Ferries: keeps still"
    warned = drafted("balance", ines, group="quayside", moves=moves)
    assert [check["text"] for check in warned.checks if check["name"] == "hours of the group"] == [
        "quayside keeps still: “Ferries” is in force, in which nothing is to move."
    ]
    stored(put(api, week(bars=[])))
    assert told() == ""
    free = drafted("balance", ines, group="quayside", moves=moves)
    assert "hours of the group" not in [check["name"] for check in free.checks]


@pytest.mark.parametrize(
    ("form", "title"),
    [
        (week(zone="Atlantis"), "There is no time zone “Atlantis”."),
        (week(bars=[*NIGHTS, {"way": "Day", "begins": 28, "hours": 2}]), "Tuesday 04:00"),
        (week(bars=[{"way": "Dusk", "begins": 1, "hours": 2}]), "“Dusk” is laid over the week and is no way"),
        (week(ways=[NIGHT, {"name": "night", "does": "still"}], bars=[]), "Two ways have the same name."),
        (
            week(exceptions=[{"way": "Day", "begins": "2026-12-02T10:00Z", "ends": "2026-12-02T10:00Z"}]),
            "An exception ends after it begins.",
        ),
    ],
)
def test_what_cannot_be_meant_is_refused_and_nothing_is_stored(
    quayside: World, api: APIClient, form: dict[str, Any], title: str
) -> None:
    stored(put(api, week()))
    before = api.get(WEEK).json()
    answer = put(api, form)
    assert answer.status_code == 422
    assert title in answer.json()["title"]
    assert api.get(WEEK).json() == before


def test_who_lays_out_a_week_that_somebody_changed_is_told(quayside: World, api: APIClient) -> None:
    seen = api.get(WEEK).headers["ETag"]
    stored(put(api, week(), seen=seen))
    answer = put(api, week(bars=[]), seen=seen)
    assert answer.status_code == 412
    assert len(api.get(WEEK).json()["bars"]) == 10
    assert Entry.objects.filter(subject="ways of quayside").count() == 1
    reader = signed_in(person("rolf.kier", Role.AUDITOR).username)
    assert put(reader, week()).status_code == 403


def test_a_group_acts_only_as_somebody_saw_it_would(quayside: World, api: APIClient, ines: User) -> None:
    stored(put(api, week()))
    answer = put(api, {"acts": True}, ACTS)
    assert (answer.status_code, answer.json()["code"]) == (409, "not_rehearsed")
    of = _rehearsed()
    assert put(api, {"acts": True}, ACTS).status_code == 409
    Rehearsal.objects.filter(of=of).update(seen_by=ines.username)
    assert put(api, {"acts": True}, ACTS).json()["acting"]["let_by"] == ines.username
    # The next way that it is laid out is another one.
    assert put(api, week(bars=NIGHTS)).json()["acting"]["let_by"] == ""
    still = week(ways=[DAY], bars=DAYS)
    stored(put(api, still))
    assert put(api, {"acts": True}, ACTS).json()["code"] == "nothing_acts"


def _rehearsed() -> str:
    from movelot.balance.ways import digest_of, ways_of

    of = digest_of(group(), ways_of(group()))
    Rehearsal.objects.create(group=group(), of=of, by="ines.marrow", document={})
    return of


def test_a_week_goes_out_as_a_calendar_and_comes_in_the_same(quayside: World, api: APIClient) -> None:
    close = {"way": "Ferries", "begins": "2026-11-30T17:00:00Z", "ends": "2026-12-01T08:00:00Z", "reason": "month-end"}
    told = put(api, week(exceptions=[close])).json()
    calendar = api.get(WEEK.removesuffix("/") + ".ics")
    assert calendar["Content-Type"] == "text/calendar"
    read = api.post(WEEK + "read/", {"calendar": calendar.content.decode()}, format="json").json()
    assert read["left_out"] == []
    assert (read["bars"], read["zone"]) == (sorted(told["bars"], key=lambda bar: bar["begins"]), "Europe/Oslo")
    assert [each["reason"] for each in read["exceptions"]] == ["month-end"]
    assert datetime.fromisoformat(read["exceptions"][0]["ends"]) == datetime(2026, 12, 1, 8, tzinfo=UTC)
    # Nothing of it is stored by reading.
    assert api.get(WEEK).json()["number"] == told["number"]


EVENT = """BEGIN:VEVENT
SUMMARY:{}
DTSTART;TZID=Europe/Oslo:20260105T{}
DTEND;TZID=Europe/Oslo:20260106T{}
{}
END:VEVENT
"""


@pytest.mark.parametrize(
    ("event", "why"),
    [
        (("Dusk", "200000", "050000", "RRULE:FREQ=WEEKLY"), "the group has no way of that name"),
        (("Night", "203000", "050000", "RRULE:FREQ=WEEKLY"), "the week is of whole hours"),
        (("Night", "200000", "050000", "RRULE:FREQ=MONTHLY"), "it does not come every week for good"),
        (("Night", "200000", "050000", "RRULE:FREQ=WEEKLY;COUNT=3"), "it does not come every week for good"),
        (("Night", "200000", "050000", "RRULE:FREQ=WEEKLY\nEXDATE:20260112T190000Z"), "it has dates of its own"),
    ],
)
def test_what_no_week_can_have_is_left_out_and_said(
    quayside: World, api: APIClient, event: tuple[str, str, str, str], why: str
) -> None:
    stored(put(api, week()))
    good = EVENT.format("day", "050000", "050000", "RRULE:FREQ=WEEKLY;BYDAY=TU").replace("20260106", "20260105")
    good = good.replace("DTEND;TZID=Europe/Oslo:20260105T050000", "DTEND;TZID=Europe/Oslo:20260105T200000")
    text = f"BEGIN:VCALENDAR\nVERSION:2.0\nPRODID:x\n{EVENT.format(*event)}{good}END:VCALENDAR\n"
    read = api.post(WEEK + "read/", {"calendar": text.replace("\n", "\r\n")}, format="json").json()
    assert read["bars"] == [{"way": "Day", "begins": 29, "hours": 15}]
    assert len(read["left_out"]) == 1
    assert why in read["left_out"][0]


@pytest.mark.parametrize("text", ["", "no calendar", "BEGIN:VCALENDAR", "BEGIN:VEVENT\r\nEND:VEVENT\r\n", "\x00"])
def test_what_is_no_calendar_is_refused(quayside: World, api: APIClient, text: str) -> None:
    answer = api.post(WEEK + "read/", {"calendar": text}, format="json")
    assert answer.status_code in (200, 400, 422)
    if answer.status_code == 200:
        assert answer.json()["bars"] == []


def test_a_calendar_that_is_too_large_is_refused_and_said(quayside: World, api: APIClient) -> None:
    answer = api.post(WEEK + "read/", {"calendar": "x" * 200_001}, format="json")
    assert (answer.status_code, list(answer.json()["fields"])) == (400, ["calendar"])
    answer = api.post(WEEK + "read/", {"calendar": "x" * 3_000_000}, format="json")
    assert (answer.status_code, answer.json()["code"]) == (413, "too_large")
    assert answer.json()["title"] == "The request is too large: 2.50 MiB are taken at most."


def test_a_way_keeps_its_row_so_that_what_is_in_force_stays(quayside: World, api: APIClient) -> None:
    stored(put(api, week(bars=[{"way": "Night", "begins": 0, "hours": 168}])))
    since = group().in_force_since
    lower = {**NIGHT, "name": "night", "fill_ceiling": 0.65}
    stored(put(api, week(ways=[lower, DAY], bars=[{"way": "night", "begins": 0, "hours": 168}])))
    assert (group().in_force_since, ceilings()[0]) == (since, 0.65)
    stored(put(api, week(ways=[DAY], bars=[])))
    assert (group().in_force, ceilings()[0]) == (None, 0.82)
    assert Bar(1, 0, 168).covers()[-1] == 167
    assert Datastore.objects.count() == 2
