"""Capacity in the browser: a link of the chain that was left behind, a datastore grown, what if, what can come back."""

from __future__ import annotations

import re

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
    expect(ines.get_by_role("button", name=re.compile("^slate-03"))).to_contain_text("of 5.00 TiB", timeout=20_000)


def test_two_are_grown_at_once_after_asking_what_if(ines: Page, fresh: Stack) -> None:
    ines.goto("/capacity?by=datastore")
    before = line(ines, "berth-b")
    ines.get_by_role("spinbutton", name="more comes in, TiB").fill("4")
    ines.get_by_role("combobox", name="to which").click()
    ines.get_by_role("option", name="berth-b").click()
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
    expect(part).to_contain_text("5 snapshots of reefer-watch")
    part.get_by_role("button", name=re.compile("Merge before-firmware-1")).click()
    expect(ines.get_by_role("heading", name=re.compile("Merge"))).to_be_visible()
