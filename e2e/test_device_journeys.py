"""Linking a device by its fingerprint, and what happens once it shows another certificate."""

from __future__ import annotations

import re
from collections.abc import Iterator
from pathlib import Path

import pytest
from playwright.sync_api import Page, expect

from e2e.conftest import Caller, Stack
from movelot.devices.certificate import fingerprint_of

NAME = "light-03"


@pytest.fixture
def shown(fresh: Stack, caller: Caller) -> Iterator[str]:
    """The fingerprint that the device shows at first; the other tests find it pinned again."""
    first = fingerprint_of(Path(fresh.standins.cards[NAME]["certificate"]).read_text())
    yield first
    fresh.standins.control("reset")
    numbers = [row["id"] for row in caller.call("GET", "devices/").json() if row["name"] == NAME]
    if numbers:
        assert caller.call("PUT", f"devices/{numbers[0]}/", {"fingerprint": first}).ok
    else:
        # The test ended before it was linked again.
        card = fresh.standins.cards[NAME]
        given = {name: card[name] for name in ("url", "user", "password")}
        assert caller.call("POST", "devices/", {**given, "fingerprint": first}).ok


def test_a_device_is_linked_by_its_fingerprint_and_stops_once_that_changes(
    ines: Page, fresh: Stack, shown: str
) -> None:
    card = fresh.standins.cards[NAME]
    ines.goto("/devices")
    row = ines.get_by_role("table", name="Device links").get_by_role("row", name=re.compile(f"^{NAME}"))
    row.get_by_role("button", name=f"Unlink {NAME}").click()
    ines.get_by_role("button", name="Unlink it").click()
    expect(row).to_have_count(0)
    ines.get_by_label("Address", exact=True).fill(card["url"])
    ines.get_by_role("textbox", name="Account").fill(card["user"])
    ines.get_by_label("Password", exact=True).fill("not the password")
    ines.get_by_role("button", name="Show its certificate").click()
    expect(ines.get_by_text(shown)).to_be_visible()
    ines.get_by_role("button", name="I compared it: pin and link").click()
    expect(ines.get_by_role("alert")).to_contain_text("refuses the account")
    expect(row).to_have_count(0)
    ines.get_by_role("button", name="Back").click()
    ines.get_by_label("Password", exact=True).fill(card["password"])
    ines.get_by_role("button", name="Show its certificate").click()
    ines.get_by_role("button", name="I compared it: pin and link").click()
    expect(row).to_contain_text("answers")
    fresh.standins.fault(NAME, "certificate")
    ines.keyboard.press("r")
    expect(row).to_contain_text("another certificate")
    # Both can be compared: the one that was pinned, and the one it shows now.
    expect(row).to_contain_text(shown)
    row.get_by_role("button", name="Show the new certificate").click()
    expect(row).to_contain_text("valid from")
    row.get_by_role("button", name="I compared it: pin").click()
    expect(row).to_contain_text("answers")
    expect(row).not_to_contain_text(shown)
