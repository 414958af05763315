"""Journeys over iSCSI and with raw volumes: CHAP on both sides, a volume for a guest cluster."""

from __future__ import annotations

import re

from playwright.sync_api import Page, expect

from e2e.conftest import Stack
from e2e.test_journeys import beside, quays, run_lot, tray

TARGET = "iqn.2026-01.example.kestrelbay:granite"


def start_raw(page: Page) -> None:
    """A draft of a raw volume for two machines."""
    page.goto("/attach")
    page.get_by_role("button", name=re.compile("^Raw volume")).click()
    page.get_by_role("textbox", name="Volume name").fill("quorum-01")
    page.get_by_role("textbox", name="Size").fill("100 GiB")
    field = page.get_by_role("combobox", name="Machines that get it")
    for machine in ("payroll", "tug-roster"):
        field.click()
        field.press_sequentially(machine[:4])
        page.get_by_role("option", name=machine).click()
    expect(tray(page)).to_contain_text("payroll, tug-roster share it")


def test_chap_is_set_on_both_sides_and_taken_back(ines: Page, fresh: Stack) -> None:
    ines.goto("/attach/paths?cluster=quayside&array=granite")
    sessions = ines.get_by_role("table", name="iSCSI sessions and CHAP")
    expect(sessions.get_by_role("row", name=re.compile("quay-01"))).to_contain_text("8 of 8 possible")
    expect(sessions).to_contain_text("◇ off")
    ines.get_by_role("button", name="Draft lot").click()
    expect(tray(ines)).to_contain_text("Ask quay-01 for CHAP mutual")
    run_lot(ines)
    for host in quays(fresh.standins.world()):
        assert {method for *_, method in host["sessions"][TARGET]} == {"MutualCHAP"}
    ines.goto("/attach/paths?cluster=quayside&array=granite")
    expect(sessions.get_by_text("■ mutual")).to_have_count(len(quays(fresh.standins.world())))
    beside(ines).get_by_role("button", name="Undo").click()
    run_lot(ines)
    assert not any(host["chap"] for host in quays(fresh.standins.world()))


def test_a_raw_volume_is_shared_by_two_machines_and_kept_while_they_are_on(ines: Page, fresh: Stack) -> None:
    start_raw(ines)
    ines.get_by_role("radio", name=re.compile("granite-mixed")).check()
    run_lot(ines)
    given = {m["name"]: m["raw"] for m in fresh.standins.world()["machines"] if m["raw"]}
    assert {name: raw[0]["shared"] for name, raw in given.items()} == {"payroll": True, "tug-roster": True}
    ines.keyboard.press("/")
    ines.keyboard.type("quorum-01")
    ines.get_by_role("option", name=re.compile("volume quorum-01")).click()
    expect(ines.get_by_role("link", name="machine tug-roster")).to_be_visible()
    ines.get_by_role("button", name="Take away").click()
    expect(ines.get_by_role("region", name="What uses it")).to_contain_text("payroll on quay-")
    expect(tray(ines).get_by_role("button", name="Run lot")).to_be_disabled()
    for machine in given:
        fresh.standins.control("machine", act="off", name=machine)
    ines.keyboard.press("r")
    expect(tray(ines)).to_contain_text("Take quorum-01 from payroll")
    tray(ines).get_by_role("button", name="Check").click()
    run_lot(ines)
    assert not [m for m in fresh.standins.world()["machines"] if m["raw"]]
