"""Images in the browser: a wrong one is refused with the reason, a right one becomes the disk of a machine."""

from __future__ import annotations

import hashlib
import re

from playwright.sync_api import Page, expect

from e2e.conftest import Caller, Stack
from e2e.test_journeys import run_lot, tray
from e2e.test_machines import machine


def bring_in(page: Page, url: str, checksum: str) -> None:
    page.get_by_role("button", name="Bring in").click()
    form = page.get_by_role("form", name="Bring in an image")
    form.get_by_label("Address").fill(url)
    form.get_by_label("Checksum").fill(checksum)
    form.get_by_role("button", name="Bring in").click()
    expect(form).to_have_count(0)


def test_a_wrong_image_is_refused_and_a_right_one_becomes_a_machine(ines: Page, fresh: Stack, caller: Caller) -> None:
    fresh.standins.control("pace", pace=3000)
    sums = fresh.standins.sums()
    ines.goto("/machines")
    ines.get_by_role("link", name="Images").click()
    expect(ines.get_by_text("No image yet.")).to_be_visible()
    depot = caller.call("GET", "images/").json()["depots"][0]["url"]
    bring_in(ines, f"{depot}tide-gauge.qcow2", sums["tide-gauge.qcow2"])
    wrong = ines.get_by_role("row", name=re.compile("^tide-gauge"))
    expect(wrong).to_contain_text("▲ failed", timeout=60_000)
    expect(wrong).to_contain_text("it is damaged, or another file. Nothing of it is kept.")
    bring_in(ines, f"{depot}reefer-agent.qcow2", sums["reefer-agent.qcow2"])
    right = ines.get_by_role("row", name=re.compile("^reefer-agent"))
    expect(right).to_contain_text("checked", timeout=60_000)
    expect(right).to_contain_text("256 MiB")

    right.get_by_role("combobox", name="Keep reefer-agent on").click()
    ines.get_by_role("option", name="berth-b", exact=True).click()
    expect(tray(ines)).to_contain_text("Write image reefer-agent")
    run_lot(ines)
    ines.goto("/machines/images")
    expect(right).to_contain_text("■ ready", timeout=60_000)
    expect(right).to_contain_text("berth-b")

    ines.goto("/machines")
    ines.get_by_role("button", name="New machine").click()
    ines.get_by_role("textbox", name="Name", exact=True).fill("reefer-agent-01")
    ines.get_by_role("combobox", name="Made from, disk 1").click()
    ines.get_by_role("option", name="reefer-agent, on berth-b").click()
    expect(tray(ines)).to_contain_text("Copy image reefer-agent into")
    run_lot(ines)
    made = machine(fresh, "reefer-agent-01")
    assert made is not None
    assert (made["power"], made["disks"][0]["size_bytes"]) == ("On", 2**28)
    contents = fresh.standins.folder / "contents" / made["disks"][0]["id"]
    # All that is written of the disk, and zeros up to its end.
    assert hashlib.sha256(contents.read_bytes().ljust(2**28, b"\0")).hexdigest() == image_digest(caller)
    ines.goto("/machines/images")
    expect(right.get_by_role("cell").nth(6)).to_have_text("1")


def image_digest(caller: Caller) -> str:
    images = caller.call("GET", "images/").json()["images"]
    return str(next(image["disks"][0]["sha256"] for image in images if image["name"] == "reefer-agent"))
