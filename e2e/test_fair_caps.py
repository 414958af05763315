"""Noisy neighbours in the browser: who makes a pool slow, capped fairly by a lot, taken back."""

from __future__ import annotations

import re

from playwright.sync_api import Page, expect

from e2e.conftest import Stack
from e2e.test_journeys import run_lot


def test_who_makes_a_pool_slow_gives_way_for_some_days(ines: Page, fresh: Stack) -> None:
    ines.goto("/balance/quayside")
    ines.get_by_role("link", name="Who makes it slow").click()
    table = ines.get_by_role("table", name="Neighbours on granite-fast")
    expect(table.get_by_role("row").nth(1)).to_contain_text("berth-plan-db disk 1")
    expect(ines.get_by_role("region", name="Hours of granite-fast")).to_contain_text("ceiling 9.0 ms; over it at")
    form = ines.get_by_role("form", name="Cap fairly")
    form.get_by_label("For how many days").fill("3")
    form.get_by_role("button", name="Draft lot").click()
    lot = ines.get_by_role("region", name="This lot")
    expect(lot).to_contain_text("taken back by itself 3 days after it")
    run_lot(ines)
    expect(lot).to_contain_text(re.compile("taken back by itself on [0-9]+ "), timeout=60_000)
    disk = next(
        disk
        for machine in fresh.standins.world()["machines"]
        for disk in machine["disks"]
        if disk["name"] == "berth-plan-db disk 1"
    )
    _since, cap, _floor = disk["limits"][-1]
    assert cap > 0
