"""Policies in the browser: a new one, a disk that is out of it, the lot that settles it, and going back a version."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator
from typing import Any

import pytest
from playwright.sync_api import Page, expect

from conftest import until
from e2e.conftest import Caller, Stack
from e2e.test_journeys import run_lot


def test_disks_out_of_a_policy_are_settled_by_a_lot_and_a_version_is_taken_again(
    ines: Page, fresh: Stack, caller: Caller
) -> None:
    """tug-roster has one disk of 130 GiB on flash; it is to be on spinning drives."""
    fresh.standins.control("pace", pace=3000)
    ines.goto("/policies")
    ines.get_by_role("button", name="New policy").click()
    form = ines.get_by_role("form", name="New policy")
    form.get_by_label("Name").fill("Quiet")
    form.get_by_label("ask more of kept how").click()
    ines.get_by_role("option", name="media").click()
    form.get_by_role("combobox", name="media").click()
    ines.get_by_role("option", name=re.compile("^spinning drives")).click()
    expect(form.get_by_role("status", name="What it would do")).to_contain_text("On spinning drives. Served by")
    form.get_by_role("button", name="Make it").click()

    chosen = ines.get_by_role("region", name="Quiet")
    chosen.get_by_label("Give it to").click()
    ines.get_by_role("option", name="a machine").click()
    chosen.get_by_label("name of the machine").fill("tug-roster")
    chosen.get_by_role("button", name="Give to tug-roster").click()
    expect(chosen.get_by_role("region", name="Given to")).to_contain_text("machine tug-roster")
    row = ines.get_by_role("row", name=re.compile("^Quiet"))
    expect(row).to_contain_text("▲ 1 out of policy", timeout=60_000)
    row.get_by_role("button", name=re.compile("on berth-a: cannot")).click()
    expect(ines.get_by_role("status", name="Why")).to_contain_text("its pool has flash")
    expect(ines.get_by_role("status", name="Why")).to_contain_text("tug-roster disk 1")

    ines.goto("/")
    ines.get_by_role("button", name="Draft lot: 1 disk out of policy, Quiet on berth-a").click()
    expect(ines.get_by_role("complementary", name="Tray")).to_contain_text("Move tug-roster disk 1")
    run_lot(ines)
    ines.goto("/policies")
    expect(row).to_contain_text("1 disk")
    expect(row).not_to_contain_text("out of policy", timeout=60_000)

    # What a change would do is shown before it is stored; the first version is taken again afterwards.
    row.get_by_role("button", name="Quiet", exact=True).click()
    chosen.get_by_role("combobox", name="media").click()
    ines.get_by_role("option", name=re.compile("^flash")).click()
    effect = chosen.get_by_role("status", name="What it would do")
    expect(effect).to_contain_text("1 more disk goes out of policy: tug-roster disk 1")
    chosen.get_by_role("button", name="Ask this from now on").click()
    expect(chosen).to_contain_text("version 2")
    chosen.get_by_text("Versions (2)").click()
    chosen.get_by_role("button", name="Take version 1").click()
    chosen.get_by_role("button", name="Ask this from now on").click()
    expect(chosen).to_contain_text("version 3")

    def settled() -> bool:
        rows = caller.call("GET", "policies/").json()["policies"]
        return next(each["out"] for each in rows if each["name"] == "Quiet") == 0

    until(settled, "the disk in its policy again", 120)
    chosen.get_by_role("button", name="Retire Quiet").click()
    chosen.get_by_role("button", name="Retire it").click()
    expect(row).to_have_count(0, timeout=60_000)


@pytest.fixture
def board(fresh: Stack, caller: Caller) -> Iterator[Callable[[], dict[str, Any]]]:
    """The fit board with the policies of the port, which nobody has any longer afterwards."""
    fresh.manage("add_policies")

    def told() -> dict[str, Any]:
        return dict(caller.call("GET", "policies/").json())

    yield told
    for policy in told()["policies"]:
        assert caller.call("DELETE", f"policies/{policy['id']}/").ok
    fresh.manage("shell", "-c", "from movelot.inventory.models import Label; Label.objects.all().delete()")


def test_twelve_disks_out_of_policy_are_settled_by_one_plan_a_group(
    ines: Page, fresh: Stack, board: Callable[[], dict[str, Any]]
) -> None:
    """The policies of the port: what a group's plan can settle it does, and what stays says what it would need."""
    fresh.standins.control("pace", pace=3000)
    until(lambda: sum(plan["out"] for plan in board()["settling"]) == 12, "plans for twelve disks", 120)
    plans = {plan["group"]: plan for plan in board()["settling"]}
    ines.goto("/policies")
    expect(ines.get_by_text("▲ 12 disks out of policy")).to_be_visible(timeout=60_000)
    # Desktops of gatehouse have no file storage there.
    expect(ines.get_by_text("gatehouse has no plan that settles any; 2 stay, as no datastore")).to_be_visible()
    ines.get_by_role("button", name="Settle quayside").click()
    run_lot(ines)
    left = 12 - plans["quayside"]["settled"]
    assert left < 6
    until(lambda: sum(policy["out"] for policy in board()["policies"]) == left, "no more disks out than stay", 120)
