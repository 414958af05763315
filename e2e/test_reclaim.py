"""Bringing room back in the browser: dead space, data reduction, loose disks, smaller exports, and the room plan."""

from __future__ import annotations

import re

from playwright.sync_api import Page, expect

from e2e.conftest import Caller, Stack
from e2e.test_journeys import state

WHAT = "What can come back"


def run_to_done(page: Page) -> None:
    page.get_by_role("button", name="Run lot").click()
    expect(state(page)).to_have_text("done", timeout=90_000)


def measured(page: Page, name: str) -> str:
    table = page.get_by_role("table", name="Predicted and measured")
    return table.get_by_role("row", name=re.compile(name)).first.inner_text()


def test_dead_space_is_found_and_given_back(ines: Page, fresh: Stack) -> None:
    ines.goto("/capacity")
    part = ines.get_by_role("region", name=WHAT)
    line = part.locator("div").filter(has_text=re.compile("^3.00 TiBslate-02"))
    line.get_by_role("button", name="Give it back").first.click()
    expect(ines.get_by_role("heading", name=re.compile("Give dead space of slate-02 back"))).to_be_visible()
    run_to_done(ines)
    assert measured(ines, "slate-02").count("3.07 TiB") == 2
    ines.goto("/capacity")
    expect(ines.get_by_role("region", name=WHAT)).not_to_contain_text("slate-02: its array", timeout=60_000)


def test_desktops_of_one_image_are_estimated_reduced_and_seen_on_both_sides(ines: Page, fresh: Stack) -> None:
    ines.goto("/capacity/reduction")
    ines.get_by_role("combobox").first.click()
    ines.get_by_role("option", name="shale-home").click()
    ines.get_by_role("checkbox", name="Choose sand-02").uncheck()
    ines.get_by_role("button", name="Estimate 1 volume").click()
    volumes = ines.get_by_role("region", name="Volumes of shale-home")
    expect(volumes).to_contain_text("95 % sure", timeout=60_000)
    left = re.search(r"both\s+([\d.]+ GiB) ±", volumes.inner_text())
    assert left, volumes.inner_text()
    ines.get_by_role("button", name="Have it compressed and deduplicated").click()
    expect(ines.get_by_role("heading", name=re.compile("Reduce sand-03 by"))).to_be_visible()
    run_to_done(ines)
    assert left[1] in measured(ines, "sand-03")
    ines.goto("/capacity/reduction")
    ines.get_by_role("combobox").first.click()
    ines.get_by_role("option", name="shale-home").click()
    expect(ines.get_by_text(re.compile("compressed and deduplicated, which saves 3.3"))).to_be_visible(timeout=60_000)
    expect(ines.get_by_role("button", name="Have it grow back")).to_be_visible()


def test_a_mostly_empty_disk_is_made_thin_and_every_level_says_so(ines: Page, fresh: Stack) -> None:
    ines.goto("/capacity")
    ines.get_by_role("region", name=WHAT).get_by_role("button", name=re.compile("^All ")).click()
    ines.get_by_role("button", name="Make archive-12 disk 2 thin").click()
    expect(ines.get_by_role("heading", name="Make archive-12 disk 2 thin")).to_be_visible()
    expect(ines.get_by_text(re.compile("164 GiB come back to it"))).to_be_visible()
    run_to_done(ines)
    assert measured(ines, "slate-05")
    ines.goto("/capacity?by=datastore")
    ines.get_by_role("button", name=re.compile("^slate-05")).click()
    panel = ines.get_by_role("region", name="Course of slate-05")
    panel.get_by_text("From guests to drives, in both bases").click()
    levels = panel.get_by_role("table", name="From guests to drives")
    expect(levels).to_contain_text("of which nothing above uses")
    expect(levels).to_contain_text("spare, beside them")


def test_a_disk_that_no_machine_has_is_deleted_by_its_name(ines: Page, fresh: Stack) -> None:
    name = "cctv-13 disk 2"
    ines.goto("/capacity")
    part = ines.get_by_role("region", name=WHAT)
    part.get_by_role("button", name=re.compile("^All ")).click()
    line = part.locator("div").filter(has_text=re.compile(f"^220 GiB{name}"))
    line.get_by_role("button", name="Delete it, by name").first.click()
    draft = part.get_by_role("button", name="Draft lot")
    expect(draft).to_be_disabled()
    part.get_by_role("textbox").fill(name)
    draft.click()
    expect(ines.get_by_role("heading", name=re.compile(f"Delete {name}, which no machine has"))).to_be_visible()
    run_to_done(ines)
    ines.goto("/capacity")
    part.get_by_role("button", name=re.compile("^All ")).click()
    # Its blocks are dead now, until a host gives them back.
    expect(part).to_contain_text("slate-04: its array holds", timeout=60_000)


def test_an_export_is_made_smaller_and_its_room_returns(ines: Page, fresh: Stack) -> None:
    ines.goto("/capacity?by=datastore")
    ines.get_by_role("checkbox", name="Choose sand-01").check()
    ines.get_by_role("combobox", name="How far it is said").click()
    ines.get_by_role("option", name="shrink to a size of").click()
    ines.get_by_role("textbox", name="How far", exact=True).fill("4 TiB")
    ines.get_by_role("button", name="Draft the lot").click()
    expect(ines.get_by_role("heading", name=re.compile("Shrink sand-01"))).to_be_visible()
    expect(ines.get_by_text("datastore 6.00 TiB → 4.00 TiB")).to_be_visible()
    run_to_done(ines)
    ines.goto("/capacity?by=datastore")
    expect(ines.get_by_role("button", name=re.compile("^sand-01"))).to_contain_text("of 4.00 TiB", timeout=60_000)


def test_the_room_plan_names_the_cheapest_lots(ines: Page, fresh: Stack) -> None:
    ines.goto("/capacity/room")
    # Without days of history what is over its ceiling now is short, and nothing else.
    short = ines.get_by_role("region", name="What is short")
    expect(short).to_contain_text("berth-a")
    expect(short).to_contain_text("enough")
    ines.get_by_role("button", name="Grow it").first.click()
    expect(ines.get_by_role("heading", name=re.compile("Grow berth-a"))).to_be_visible()
    run_to_done(ines)
    ines.goto("/capacity/room")
    expect(ines.get_by_text(re.compile("Everything lasts 90 days"))).to_be_visible(timeout=60_000)


def test_a_pool_is_retired_once_what_is_in_the_way_is_gone(ines: Page, fresh: Stack, caller: Caller) -> None:
    ines.goto("/capacity")
    ines.get_by_role("button", name=re.compile("^basalt-bulk")).click()
    ines.get_by_role("link", name="All of basalt-bulk").click()
    expect(ines.get_by_role("region", name="Tiers")).to_contain_text("pages move between them 22:00-04:00 UTC")
    expect(ines.get_by_role("region", name="Volumes")).to_contain_text("slate-03")
    ines.get_by_role("button", name="Retire it").click()
    ines.get_by_role("button", name="Draft the lot").click()
    told = ines.get_by_text(re.compile("slate-04 is used by disk cctv-13 disk 2, which no machine has"))
    expect(told.first).to_be_visible(timeout=60_000)
    for row in caller.call("GET", "capacity/reclaim/").json()["rows"]:
        if row["typed"] in ("cctv-13 disk 2", "cctv-13 disk 3"):
            form = {**row["draft"]["form"], "confirm": row["typed"]}
            made = caller.call("POST", "lots/", {"kind": "delete_disks", "form": form}).json()["summary"]["id"]
            assert caller.call("POST", f"lots/{made}/run/").ok
            assert caller.ended(made) == "done"
    ines.get_by_role("button", name="Check", exact=True).click()
    expect(told).to_have_count(0, timeout=60_000)
    expect(ines.get_by_text(re.compile("machines run on")).first).to_be_visible()
    # Eight tebibytes go elsewhere.
    fresh.standins.control("pace", pace=20_000)
    run_to_done(ines)
    ines.goto("/capacity?by=datastore")
    expect(ines.get_by_role("button", name=re.compile("^slate-02"))).to_be_visible()
    expect(ines.get_by_role("button", name=re.compile("^slate-03"))).to_have_count(0, timeout=60_000)


def test_a_datastore_is_emptied_and_made_anew_smaller(ines: Page, fresh: Stack) -> None:
    ines.goto("/capacity?by=datastore")
    ines.get_by_role("checkbox", name="Choose slate-03").check()
    ines.get_by_role("combobox", name="How far it is said").click()
    ines.get_by_role("option", name="empty and make anew with").click()
    ines.get_by_role("textbox", name="How far", exact=True).fill("2 TiB")
    draft = ines.get_by_role("button", name="Draft the lot")
    expect(draft).to_be_disabled()
    ines.get_by_role("textbox", name=re.compile("^Type slate-03")).fill("slate-03")
    draft.click()
    expect(ines.get_by_role("heading", name=re.compile("Make slate-03 anew, smaller"))).to_be_visible(timeout=60_000)
    run_to_done(ines)
    ines.goto("/capacity?by=datastore")
    expect(ines.get_by_role("button", name=re.compile("^slate-03"))).to_contain_text("of 2.00 TiB", timeout=60_000)
