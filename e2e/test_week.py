"""A group's week in the browser: laid out, rehearsed, let act by itself, and halted by the one switch."""

from __future__ import annotations

import re
from collections.abc import Iterator

import pytest
from playwright.sync_api import Page, expect

from conftest import until
from e2e.conftest import PACE, Caller, Stack

WEEK = "balance/groups/quayside/week/"
# A rehearsal needs a day beside the week that teaches: the day before the first known one was like that.
ONE_DAY_MORE = """
from datetime import timedelta
from movelot.inventory.models import DiskDay
first = DiskDay.objects.order_by("day").first().day
DiskDay.objects.bulk_create(
    DiskDay(day=first - timedelta(days=1), disk_id=row.disk_id, pool_id=row.pool_id, loads=row.loads)
    for row in DiskDay.objects.filter(day=first)
)
"""


@pytest.fixture
def laid_out_no_more(fresh: Stack, caller: Caller) -> Iterator[None]:
    """Whatever a test lays over quayside's week is taken out again, and groups are let act."""
    yield
    fresh.standins.control("pace", pace=PACE)
    assert caller.call("PUT", WEEK, {"zone": "UTC", "ways": [], "bars": [], "exceptions": []}).ok
    assert caller.call("PUT", "balance/acts/", {"halted": False}).ok


@pytest.mark.usefixtures("laid_out_no_more")
def test_a_group_acts_by_itself_as_it_was_rehearsed_until_all_are_halted(
    ines: Page, fresh: Stack, caller: Caller
) -> None:
    fresh.manage("shell", "-c", ONE_DAY_MORE)
    ines.goto("/balance/quayside")
    ines.get_by_role("link", name="Week", exact=True).click()
    ines.get_by_role("textbox", name="Another way").fill("Night")
    ines.get_by_role("button", name="Add it").click()
    night = ines.get_by_role("group", name="Way Night")
    night.get_by_role("combobox", name="What it does").click()
    ines.get_by_role("option", name="acts by itself").click()
    night.get_by_label("At most, TiB").fill("2")
    night.get_by_label("At once").fill("1")
    lay = ines.get_by_role("form", name="Lay a way over the week")
    for day in ("Sat", "Sun"):
        lay.get_by_role("checkbox", name=day).check()
    lay.get_by_label("From, hour").fill("0")
    lay.get_by_label("Until, hour").fill("0")
    lay.get_by_role("button", name="Lay it").click()
    ines.get_by_role("button", name="Store the week").click()
    expect(ines.get_by_role("status", name="In force")).to_have_text(re.compile("Now: Night, at all hours; clock of "))
    acting = ines.get_by_role("region", name="Acting by itself")
    expect(acting).to_contain_text("Nobody let it act as it is now")
    # What it would have done is looked at before it may do anything.
    expect(acting.get_by_role("button", name="Let it act as rehearsed")).to_be_disabled()
    acting.get_by_role("button", name="Rehearse", exact=True).click()
    rehearsal = acting.get_by_role("region", name="Rehearsal")
    expect(rehearsal).to_contain_text(re.compile(r"Rehearsed on \d+ days?: \d+ hours? over a ceiling"), timeout=90_000)
    # Slow enough that the lot still runs when it is halted.
    fresh.standins.control("pace", pace=20)
    acting.get_by_role("button", name="Let it act as rehearsed").click()
    expect(acting).to_contain_text("It acts where its ways say so, let by ines.marrow")
    runs = acting.get_by_role("link", name=re.compile(r"Lot \d+ runs"))
    expect(runs).to_be_visible(timeout=90_000)
    number = int(re.findall(r"\d+", runs.inner_text())[0])
    until(
        lambda: "acts_itself" in {found["kind"] for found in caller.call("GET", "rounds/").json()["findings"]},
        "the group is announced in Rounds",
    )
    acting.get_by_role("button", name="Halt all groups").click()
    expect(acting).to_contain_text("Acting is halted for all groups, by ines.marrow")
    fresh.standins.control("pace", pace=PACE)
    assert caller.ended(number) == "halted"
    ines.goto(f"/lots/{number}")
    expect(ines.get_by_text("its group runs it by itself")).to_be_visible()
