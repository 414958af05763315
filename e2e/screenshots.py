"""Takes the pictures of the README: each main view at 1280x800, demo data, at the demo's pace. ``make screenshots``."""

from __future__ import annotations

import os
import re
from pathlib import Path

from playwright.sync_api import Page, expect

from e2e.conftest import Caller, Stack
from e2e.test_journeys import state

# The runways of capacity need more days than journeys do.
os.environ.setdefault("MOVELOT_TELEMETRY_DAYS", "30")
FOLDER = Path(os.environ.get("MOVELOT_SCREENSHOTS", "docs/screenshots"))
DEMO_PACE = 150


def shoot(page: Page, name: str) -> None:
    page.mouse.move(640, 790)
    page.wait_for_load_state("networkidle")
    page.screenshot(path=FOLDER / f"{name}.png")


def drop(page: Page) -> None:
    page.get_by_role("button", name="Drop").click()
    expect(page.get_by_role("complementary", name="Tray, folded")).to_be_visible()


def paths_and_losses(ines: Page) -> None:
    ines.goto("/attach/paths")
    expect(ines.get_by_role("table", name="Single points of failure")).to_be_visible()
    shoot(ines, "paths")
    ines.goto("/attach/loss?kind=switch&name=switch-1")
    expect(ines.get_by_role("table", name="Machines")).to_be_visible()
    shoot(ines, "loss")


def policies(ines: Page, stack: Stack) -> None:
    """Last, as the planner keeps to policies from then on."""
    stack.manage("add_policies")
    ines.goto("/policies")
    expect(ines.get_by_text(re.compile(r"▲ \d+ disks out of policy"))).to_be_visible(timeout=20_000)
    expect(ines.get_by_text(re.compile("one plan settles"))).to_be_visible(timeout=30_000)
    ines.get_by_role("button", name="Records", exact=True).click()
    expect(ines.get_by_role("region", name="Records")).to_contain_text("Labelled keeps=records")
    shoot(ines, "policies")


def machines(ines: Page) -> None:
    """Once policies are given: what has none says little."""
    ines.goto("/machines?sort=-peak_iops")
    expect(ines.get_by_role("table", name="Machines").get_by_text("out of policy").first).to_be_visible(timeout=20_000)
    shoot(ines, "machines")
    ines.get_by_role("button", name="New machine").click()
    ines.get_by_role("textbox", name="Name", exact=True).fill("crane-plan-##")
    ines.get_by_role("textbox", name="How many").fill("2")
    ines.get_by_role("textbox", name="Size of disk 1").fill("60 GiB")
    ines.get_by_role("button", name="Add a disk").click()
    ines.get_by_role("textbox", name="Size of disk 2").fill("80 GiB")
    ines.get_by_role("combobox", name="Policy of disk 2").click()
    ines.get_by_role("option", name="Desktops").click()
    tray = ines.get_by_role("complementary", name="Tray", exact=True)
    expect(tray).to_contain_text("Disk 1 has no policy")
    expect(ines.get_by_role("status", name="Draft")).to_contain_text("stored as typed")
    shoot(ines, "new-machine")
    drop(ines)


def file_storage(ines: Page) -> None:
    tray = ines.get_by_role("complementary", name="Tray", exact=True)
    ines.goto("/attach")
    ines.get_by_role("button", name=re.compile("^File storage")).click()
    ines.get_by_label("Datastore name").fill("sand-05")
    ines.get_by_role("textbox", name="Size").fill("2 TiB")
    expect(tray).to_contain_text("Create file system sand-05, 2.00 TiB")
    shoot(ines, "file")
    drop(ines)


def capacity(ines: Page) -> None:
    ines.goto("/capacity?by=datastore")
    expect(ines.get_by_text(re.compile("likely")).first).to_be_visible()
    shoot(ines, "capacity")


def groups_and_neighbours(ines: Page) -> None:
    ines.goto("/balance/groups")
    ines.get_by_role("button", name="Change quayside").click()
    ines.get_by_role("checkbox", name=re.compile("^berth-b")).uncheck()
    expect(ines.get_by_role("status", name="What it would be")).to_contain_text("berth-b leaves quayside for no group.")
    shoot(ines, "groups")
    ines.goto("/balance/neighbours")
    expect(ines.get_by_role("form", name="Cap fairly")).to_contain_text("gives way")
    shoot(ines, "neighbours")


def lists(ines: Page) -> None:
    ines.goto("/lots")
    expect(ines.get_by_role("table", name="Lots").get_by_role("row")).to_have_count(3)
    shoot(ines, "lots")
    ines.goto("/trace/datastore/1")
    expect(ines.get_by_role("group", name="Trace, drawn from machine to array")).to_be_visible()
    shoot(ines, "trace")


WEEK = {
    "zone": "Europe/Oslo",
    "ways": [
        {"name": "Night", "does": "act", "most_bytes": 2 * 2**40, "most_copies": 2, "fill_ceiling": 0.78},
        {"name": "Day", "does": "advise"},
        {"name": "Ferries", "does": "still"},
    ],
    "bars": [
        *({"way": "Night", "begins": 24 * day + 20, "hours": 9} for day in (0, 1, 2, 3, 6)),
        *({"way": "Day", "begins": 24 * day + 5, "hours": 15} for day in range(4)),
        {"way": "Day", "begins": 24 * 4 + 5, "hours": 12},
        {"way": "Ferries", "begins": 24 * 4 + 17, "hours": 5},
        {"way": "Night", "begins": 24 * 5, "hours": 24},
    ],
    "exceptions": [
        {"way": "Ferries", "begins": "2027-06-30T15:00Z", "ends": "2027-07-01T06:00Z", "reason": "month-end"}
    ],
}


def week(ines: Page, caller: Caller) -> None:
    """Laid out and not let act: nothing moves for the pictures after it."""
    path = "balance/groups/quayside/week/"
    assert caller.call("PUT", path, WEEK).ok
    ines.goto("/balance/week?group=quayside")
    expect(ines.get_by_role("group", name="Way Ferries")).to_be_visible()
    shoot(ines, "week")
    assert caller.call("PUT", path, {**WEEK, "ways": [], "bars": [], "exceptions": []}).ok


def test_pictures(ines: Page, fresh: Stack, caller: Caller) -> None:
    fresh.standins.control("pace", pace=DEMO_PACE)
    FOLDER.mkdir(parents=True, exist_ok=True)
    tray = ines.get_by_role("complementary", name="Tray", exact=True)
    expect(ines.get_by_role("list", name="Findings").get_by_role("listitem")).to_have_count(12)
    shoot(ines, "rounds")
    paths_and_losses(ines)
    file_storage(ines)
    groups_and_neighbours(ines)
    week(ines, caller)
    ines.goto("/attach")
    expect(ines.get_by_role("table", name="Grants")).to_be_visible()
    shoot(ines, "overview")
    ines.get_by_role("button", name="Block volume").click()
    ines.get_by_label("Datastore name").fill("berth-e")
    ines.get_by_role("textbox", name="Size").fill("2 TiB")
    expect(tray).to_contain_text("Create thin volume berth-e, 2.00 TiB")
    shoot(ines, "attach")
    tray.get_by_role("button", name="Run lot").click()
    expect(state(ines)).to_have_text("done", timeout=60_000)
    tray.get_by_role("link", name=re.compile("^Lot ")).click()
    expect(ines.get_by_role("table", name="Predicted and measured")).to_be_visible()
    shoot(ines, "lot")
    ines.goto("/")
    ines.get_by_role("button", name=re.compile("Draft lot: Full in .*, berth-a")).click()
    expect(ines.get_by_role("table", name="Moves of quayside")).to_be_visible()
    shoot(ines, "balance")
    # Loaded anew, as colours of controls fade from one theme to the other.
    ines.emulate_media(color_scheme="dark")
    ines.reload()
    expect(ines.get_by_role("table", name="Moves of quayside")).to_be_visible()
    shoot(ines, "dark")
    ines.emulate_media(color_scheme="light")
    tray.get_by_role("button", name="Run lot").click()
    expect(tray.get_by_text(re.compile(r"GiB/s, .* left")).first).to_be_visible(timeout=20_000)
    shoot(ines, "running")
    expect(state(ines)).to_have_text("done", timeout=90_000)
    lists(ines)
    capacity(ines)
    policies(ines, fresh)
    machines(ines)
