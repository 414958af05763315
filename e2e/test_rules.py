"""Rules in the browser: written, refused where they cannot hold, broken in Rounds, mended by the plan's lot."""

from __future__ import annotations

import re

from playwright.sync_api import Page, expect

from e2e.conftest import Stack
from e2e.test_journeys import run_lot


def test_disks_that_are_to_lie_apart_are_brought_there_by_a_lot(ines: Page, fresh: Stack) -> None:
    fresh.standins.control("pace", pace=3000)
    ines.goto("/balance/quayside")
    ines.get_by_role("navigation", name="Beside this page").get_by_role("link", name="Rules").click()
    form = ines.get_by_role("form", name="New rule")
    form.get_by_label("Name").fill("archive apart")
    # Seven machines, six pools.
    form.get_by_label("And of the machines").fill(", ".join(f"archive-0{n}" for n in range(1, 8)))
    form.get_by_role("button", name="Write the rule").click()
    expect(form.get_by_role("alert")).to_contain_text("The rule cannot hold.")
    expect(ines.get_by_role("group", name="archive apart")).to_have_count(0)

    form.get_by_label("And of the machines").fill("archive-01, archive-02, archive-03")
    form.get_by_role("button", name="Write the rule").click()
    rule = ines.get_by_role("group", name="archive apart")
    expect(rule).to_contain_text(re.compile("▲ quayside: 1 of 3 disks out of it"), timeout=60_000)

    ines.goto("/")
    # One plan settles it with what else is to be done in the group.
    findings = ines.get_by_role("list", name="Findings").get_by_role("listitem")
    row = findings.filter(has_text="archive apart")
    expect(row).to_contain_text("Rule broken")
    row.get_by_role("button", name=re.compile("^Draft lot")).click()
    tray = ines.get_by_role("complementary", name="Tray")
    expect(tray).to_contain_text("rule archive apart: 1 disk is out of it, then 0", timeout=60_000)
    run_lot(ines)
    ines.goto("/balance/rules")
    expect(rule).to_contain_text("■ quayside: kept by 3 disks", timeout=60_000)

    rule.get_by_role("button", name="Take back archive apart").click()
    rule.get_by_role("button", name="Take it back").click()
    expect(ines.get_by_text("There is none yet.")).to_be_visible()
