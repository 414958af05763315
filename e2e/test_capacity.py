"""Capacity in the browser: a link of the chain that was left behind, a datastore grown, what if, what can come back."""

from __future__ import annotations

import re
from collections.abc import Iterator
from pathlib import Path

import pytest
from playwright.sync_api import Page, expect

from e2e.conftest import Stack
from e2e.test_journeys import state


def line(page: Page, name: str) -> str:
    return page.get_by_role("button", name=re.compile(f"^{name}")).inner_text()


def test_what_was_left_behind_is_grown_and_the_page_follows(ines: Page, fresh: Stack) -> None:
    ines.goto("/capacity?by=datastore")
    assert "of 4.00 TiB" in line(ines, "slate-03")
    ines.goto("/")
    ines.get_by_role("button", name=re.compile("Draft lot: Its volume was grown, it was not.*slate-03")).click()
    expect(ines.get_by_role("heading", name=re.compile("Grow slate-03"))).to_be_visible()
    expect(ines.get_by_text("datastore 4.00 TiB → 5.00 TiB")).to_be_visible()
    ines.get_by_role("button", name="Run lot").click()
    expect(state(ines)).to_have_text("done", timeout=60_000)
    ines.goto("/capacity?by=datastore")
    expect(ines.get_by_role("button", name=re.compile("^slate-03"))).to_contain_text("of 5.00 TiB", timeout=60_000)


def test_two_are_grown_at_once_after_asking_what_if(ines: Page, fresh: Stack) -> None:
    ines.goto("/capacity?by=datastore")
    before = line(ines, "berth-b")
    ines.get_by_role("button", name="something happens").click()
    form = ines.get_by_role("form", name="Something happens")
    form.get_by_role("textbox", name="TiB").fill("4")
    form.get_by_role("combobox", name="where").fill("berth-b")
    ines.get_by_role("option", name="berth-b").click()
    form.get_by_role("button", name="Ask").click()
    # Without days of history it is known all the same that its ceiling would be passed.
    expect(ines.get_by_role("button", name=re.compile("^berth-b"))).not_to_have_text(before)
    ines.get_by_role("button", name="As it is").click()
    for name in ("berth-b", "berth-c"):
        ines.get_by_role("checkbox", name=f"Choose {name}").check()
    ines.get_by_role("textbox", name="How far", exact=True).fill("512 GiB")
    ines.get_by_role("button", name="Draft the lot").click()
    expect(ines.get_by_role("heading", name=re.compile("Grow 2 datastores"))).to_be_visible()
    ines.get_by_role("button", name="Run lot").click()
    expect(state(ines)).to_have_text("done", timeout=60_000)
    measured = ines.get_by_role("table", name="Predicted and measured")
    expect(measured.get_by_role("row", name=re.compile("berth-b"))).to_have_count(2)


def test_old_snapshots_are_merged_from_what_can_come_back(ines: Page, fresh: Stack) -> None:
    ines.goto("/capacity")
    part = ines.get_by_role("region", name="What can come back")
    part.get_by_role("button", name=re.compile("^All ")).click()
    expect(part).to_contain_text("5 snapshots of reefer-watch")
    line = part.locator("div").filter(has_text=re.compile("5 snapshots of reefer-watch"))
    line.get_by_role("button", name="Merge them").last.click()
    expect(ines.get_by_role("heading", name=re.compile("Merge all snapshots of reefer-watch"))).to_be_visible()


# As if they had been read for forty days in which each grew by 20 GiB a day, and a little more or less.
FORTY_DAYS = """
from datetime import timedelta
from movelot.capacity.known import today
from movelot.inventory.changes import Aspect, Change, tell
from movelot.inventory.models import Datastore, DatastoreDay
DatastoreDay.objects.all().delete()
DatastoreDay.objects.bulk_create(
    DatastoreDay(
        datastore=store,
        day=today() - timedelta(days=ago),
        used_bytes=max(0, store.capacity_bytes - store.free_bytes - ago * 20 * 2**30 + (ago * 7 % 5) * 2**30),
        capacity_bytes=store.capacity_bytes,
    )
    for store in Datastore.objects.all()
    for ago in range(40)
)
tell([Change(Aspect.SPACE, "datastore", store.pk) for store in Datastore.objects.all()])
"""
NO_DAYS = """
from movelot.inventory.models import DatastoreDay
DatastoreDay.objects.all().delete()
"""


@pytest.fixture
def forty_days(fresh: Stack, tmp_path: Path) -> Iterator[Stack]:
    """The stack with forty days behind it; what it knew before is what others find."""
    kept = str(tmp_path / "days.json")
    fresh.manage("dumpdata", "inventory.datastoreday", "--output", kept)
    fresh.manage("shell", "--no-imports", "-v", "0", "-c", FORTY_DAYS)
    yield fresh
    fresh.manage("shell", "--no-imports", "-v", "0", "-c", NO_DAYS)
    fresh.manage("loaddata", kept)


def test_four_are_grown_at_once_so_that_they_last_as_long_as_is_wanted(ines: Page, forty_days: Stack) -> None:
    ines.goto("/capacity?by=datastore")
    expect(ines.get_by_role("button", name=re.compile("^berth-b"))).to_contain_text("likely", timeout=60_000)
    four = ("berth-b", "berth-c", "berth-d", "sand-01")
    for name in four:
        ines.get_by_role("checkbox", name=f"Choose {name}").check()
    ines.get_by_role("combobox", name="How far it is said").click()
    ines.get_by_role("option", name="grow to a runway of days").click()
    ines.get_by_role("textbox", name="How far", exact=True).fill("160")
    ines.get_by_role("button", name="Draft the lot").click()
    expect(ines.get_by_role("heading", name=re.compile("Grow 4 datastores"))).to_be_visible()
    expect(ines.get_by_text(re.compile("runway .* → ")).first).to_be_visible()
    ines.get_by_role("button", name="Run lot").click()
    expect(state(ines)).to_have_text("done", timeout=90_000)
    ines.goto("/capacity?by=datastore")
    for name in four:
        row = ines.get_by_role("button", name=re.compile(f"^{name}"))
        expect(row).to_contain_text(re.compile("likely (1[6-9]|[2-9])[0-9]|beyond a year"), timeout=60_000)


def test_a_project_is_asked_kept_and_compared(ines: Page, fresh: Stack) -> None:
    ines.goto("/capacity?by=pool")
    ines.get_by_role("button", name="something happens").click()
    form = ines.get_by_role("form", name="Something happens")
    form.get_by_role("combobox", name="What happens").click()
    ines.get_by_role("option", name="machines come, as many as").click()
    form.get_by_role("textbox", name="machines").fill("400")
    form.get_by_role("combobox", name="like").fill("desk-00")
    ines.get_by_role("option", name="desk-001").click()
    form.get_by_role("combobox", name="where").fill("granite-mixed")
    ines.get_by_role("option", name="granite-mixed").click()
    form.get_by_role("button", name="Ask").click()
    expect(ines.get_by_role("button", name="Without: 400 machines like desk-001 on granite-mixed")).to_be_visible()
    expect(ines.get_by_role("button", name=re.compile("^granite-mixed"))).to_contain_text("over its ceiling")
    ines.get_by_role("textbox", name="keep it as").fill("four hundred desks")
    ines.get_by_role("button", name="Keep").click()
    expect(ines.get_by_role("textbox", name="keep it as")).to_have_value("")
    ines.get_by_role("link", name="What ifs", exact=True).click()
    row = ines.get_by_role("table").get_by_role("row", name=re.compile("granite-mixed"))
    expect(row).to_contain_text("over its ceiling")
    ines.get_by_role("link", name="four hundred desks").click()
    expect(ines.get_by_role("button", name=re.compile("^Without: 400 machines like desk-001"))).to_be_visible()
    ines.get_by_role("button", name="As it is").click()
    expect(ines.get_by_role("button", name=re.compile("^granite-mixed"))).not_to_contain_text("over its ceiling")


def test_a_day_is_noted_on_its_course(ines: Page, fresh: Stack) -> None:
    ines.goto("/capacity?by=datastore")
    ines.get_by_role("button", name=re.compile("^berth-a")).click()
    form = ines.get_by_role("form", name="Note something")
    form.get_by_label("day").fill("2026-11-20")
    form.get_by_role("textbox", name="what happened").fill("archive moved in")
    form.get_by_role("button", name="Note it").click()
    notes = ines.get_by_role("region", name="Notes")
    expect(notes).to_contain_text("archive moved in")
    notes.get_by_role("button", name=re.compile("^Delete the note of 2026-11-20")).click()
    expect(notes).not_to_contain_text("archive moved in")
