"""A device that stays away after it was asked to act, seen in the browser, with real workers and schedule."""

from __future__ import annotations

import re

from playwright.sync_api import Page, expect

from conftest import until
from e2e.conftest import Caller, Stack
from e2e.test_journeys import beside, run_lot, start_attach, state, tray


def test_what_a_device_did_before_it_went_away_is_found_out_and_undone(
    ines: Page, fresh: Stack, caller: Caller
) -> None:
    before = {volume["name"] for volume in fresh.standins.world()["volumes"]}
    start_attach(ines, "berth-lost", "1 TiB")
    ines.get_by_role("radio", name=re.compile("granite-mixed")).check()
    expect(tray(ines)).to_contain_text("Create thin volume berth-lost")
    fresh.standins.fault("granite", "lost")
    ines.get_by_role("button", name="Run lot").click()
    expect(state(ines)).to_have_text("failed", timeout=60_000)
    expect(beside(ines).get_by_text("It is not known what 1 step did on granite.")).to_be_visible()
    beside(ines).get_by_role("button", name="Undo").click()
    expect(tray(ines)).to_contain_text("It is not known what it did.")
    expect(tray(ines).get_by_role("button", name="Run lot")).to_be_disabled()
    assert {volume["name"] for volume in fresh.standins.world()["volumes"]} == before | {"berth-lost"}
    fresh.standins.fault("granite")

    def known() -> bool:
        caller.call("POST", "devices/reread/")
        lots = caller.call("GET", "lots/?kind=attach").json()["results"]
        steps = caller.call("GET", f"lots/{lots[0]['id']}/").json()["steps"]
        return all(step["state"] != "unknown" for step in steps)

    until(known, "what granite did")
    tray(ines).get_by_role("button", name="Check").click()
    expect(tray(ines).get_by_role("button", name="Run lot")).to_be_enabled(timeout=60_000)
    run_lot(ines)
    assert {volume["name"] for volume in fresh.standins.world()["volumes"]} == before
