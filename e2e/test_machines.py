"""Machines in the browser: policies for many and for single disks, new ones, and volumes that come and go with them."""

from __future__ import annotations

import re
from collections.abc import Callable
from typing import Any

from playwright.sync_api import Page, expect

from conftest import until
from e2e.conftest import Caller, Stack
from e2e.test_journeys import run_lot, tray

GIB = 1024**3


def machine(stack: Stack, name: str) -> dict[str, Any] | None:
    """The machine as its host has it."""
    return next((each for each in stack.standins.world()["machines"] if each["name"] == name), None)


def open_machine(page: Page, name: str) -> None:
    page.goto(f"/machines?text={name}")
    page.get_by_role("link", name=name, exact=True).click()
    expect(page.get_by_role("heading", name=name, exact=True)).to_be_visible()


def policy(caller: Caller, name: str, kind: str, value: str, label: str = "") -> int:
    """A policy that asks one thing, given to all with a label."""
    asked = {"name": name, "requirements": [{"kind": kind, "value": value}]}
    made: int = caller.call("POST", "policies/", asked).json()["id"]
    if label:
        assert caller.call("POST", f"policies/{made}/given/", {"scope": "label", "target": label}).ok
    return made


def test_a_label_gives_many_a_policy_and_a_new_machine_on_it_is_placed_by_it(
    ines: Page, fresh: Stack, caller: Caller
) -> None:
    key = policy(caller, "Quayside kiosks", "media", "SSD", "use=kiosk")
    ines.goto("/machines?text=yard-kiosk-0")
    ines.get_by_role("checkbox", name="Choose yard-kiosk-01").click()
    ines.get_by_role("checkbox", name="Choose yard-kiosk-02").click()
    acts = ines.get_by_role("region", name="Chosen machines")
    acts.get_by_role("textbox", name="Label, key=value").fill("use=kiosk")
    acts.get_by_role("button", name="Add").click()
    row = ines.get_by_role("row", name=re.compile("yard-kiosk-02"))
    expect(row).to_contain_text("in policy", timeout=60_000)
    expect(row).to_contain_text("Quayside kiosks")

    ines.get_by_role("button", name="New machine").click()
    ines.get_by_role("textbox", name="Name", exact=True).fill("yard-kiosk-##")
    ines.get_by_role("textbox", name="How many").fill("2")
    ines.get_by_role("textbox", name="Size of disk 1").fill("16")
    ines.get_by_role("combobox", name="Policy of disk 1").click()
    ines.get_by_role("option", name="Quayside kiosks").click()
    places = ines.get_by_role("region", name="Places for disk 1", exact=True)
    expect(places.get_by_role("row", name=re.compile("berth-c"))).to_contain_text("not in policy")
    expect(places.get_by_role("row", name=re.compile("berth-c"))).to_contain_text("its pool has spinning drives")
    expect(tray(ines)).to_contain_text("Switch yard-kiosk-49 on")
    run_lot(ines)
    found = machine(fresh, "yard-kiosk-49")
    assert found is not None
    assert found["power"] == "On"
    # The policy is given to the disk as soon as a reading tells of it.
    open_machine(ines, "yard-kiosk-49")
    expect(ines.get_by_role("table", name="Disks")).to_contain_text("in policy", timeout=60_000)
    expect(ines.get_by_role("region", name="Lots")).to_contain_text("New machine yard-kiosk-##")
    ines.get_by_role("region", name="Lots").get_by_role("link").first.click()
    ines.get_by_role("button", name="Undo").first.click()
    run_lot(ines)
    assert machine(fresh, "yard-kiosk-49") is None
    assert caller.call("DELETE", f"policies/{key}/").ok


def test_each_of_three_disks_is_given_a_policy_of_its_own_or_the_machines(
    ines: Page, fresh: Stack, caller: Caller
) -> None:
    keys = [policy(caller, "Quick", "media", "SSD"), policy(caller, "Slow", "media", "HDD")]
    open_machine(ines, "berth-plan-db")
    ines.get_by_role("combobox", name="Policy of the whole machine").click()
    ines.get_by_role("option", name="Quick").click()
    table = ines.get_by_role("table", name="Disks")
    first, second = (table.get_by_role("row", name=re.compile(f"berth-plan-db disk {n}")) for n in (1, 2))
    expect(first).to_contain_text("given to its machine", timeout=60_000)
    expect(first).to_contain_text("in policy")
    ines.get_by_role("combobox", name="Policy of berth-plan-db disk 2 alone").click()
    ines.get_by_role("option", name="Slow").click()
    expect(second).to_contain_text("out of policy", timeout=60_000)
    expect(second).to_contain_text("its pool has flash")
    expect(first).to_contain_text("in policy")
    ines.get_by_role("combobox", name="Policy of berth-plan-db disk 2 alone").click()
    ines.get_by_role("option", name="as the machine").click()
    expect(second).to_contain_text("1 time before", timeout=60_000)
    for key in keys:
        assert caller.call("DELETE", f"policies/{key}/").ok


def test_on_a_volume_set_volumes_come_and_go_with_the_machine_and_its_room_returns(
    ines: Page, fresh: Stack, caller: Caller, chalk_one: Callable[[], None]
) -> None:
    chalk_one()
    ines.goto("/attach")
    ines.get_by_role("button", name=re.compile("^Volume set")).click()
    ines.get_by_role("textbox", name="Datastore name").fill("chalk-vd")
    expect(ines.get_by_role("region", name="Volumes")).to_contain_text("60 volumes")
    run_lot(ines)

    def volumes() -> set[str]:
        found = caller.call("GET", "find/?q=tug-log").json()["hits"]
        return {link["name"] for link in found if link["kind"] == "volume"}

    def held() -> int:
        rows = caller.call("GET", "machines/datastores/?text=chalk-vd").json()["results"]
        return int(rows[0]["capacity_bytes"] - rows[0]["free_bytes"])

    empty = held()
    # What the arrays say that they can do is offered as something to ask for: a volume for each disk.
    key = policy(caller, "A volume each", "storage", "set")
    ines.goto("/machines")
    ines.get_by_role("button", name="New machine").click()
    ines.get_by_role("textbox", name="Name", exact=True).fill("tug-log")
    ines.get_by_role("textbox", name="Size of disk 1").fill("100")
    ines.get_by_role("combobox", name="Policy of disk 1").click()
    ines.get_by_role("option", name="A volume each").click()
    places = ines.get_by_role("region", name="Places for disk 1", exact=True)
    expect(places.get_by_role("row", name=re.compile("berth-b"))).to_contain_text("it is on volumes")
    expect(tray(ines)).to_contain_text("Add disk 1 of tug-log on chalk-vd")
    run_lot(ines)
    assert volumes() == {"tug-log disk 1", "tug-log swap"}
    assert held() - empty == (100 + 8) * GIB

    open_machine(ines, "tug-log")
    expect(ines.get_by_role("table", name="Disks")).to_contain_text("in policy", timeout=60_000)
    ines.get_by_role("textbox", name="Name of a new snapshot").fill("before-upgrade")
    ines.get_by_role("button", name="Take one").click()
    run_lot(ines)
    assert "tug-log disk 1 before-upgrade" in volumes()
    open_machine(ines, "tug-log")
    expect(ines.get_by_role("region", name="Snapshots")).to_contain_text("the machine goes on from here")
    ines.get_by_role("button", name="Switch off").click()
    expect(tray(ines)).to_contain_text("its guest is asked")
    run_lot(ines)
    assert "tug-log swap" not in volumes()

    open_machine(ines, "tug-log")
    ines.get_by_role("button", name="Delete", exact=True).click()
    form = ines.get_by_role("form", name="Type tug-log to say that it is meant")
    expect(form.get_by_role("button", name="Draft lot")).to_be_disabled()
    form.get_by_role("textbox").fill("tug-log")
    form.get_by_role("button", name="Draft lot").click()
    expect(tray(ines)).to_contain_text("nothing brings it back")
    run_lot(ines)
    expect(ines.get_by_role("table", name="Predicted and measured")).to_contain_text("chalk-vd")
    assert volumes() == set()
    assert held() == empty
    until(lambda: machine(fresh, "tug-log") is None, "the machine to be gone")
    assert caller.call("DELETE", f"policies/{key}/").ok


def test_a_capped_disk_is_kept_to_its_cap_and_its_neighbours_gain(ines: Page, fresh: Stack, caller: Caller) -> None:
    open_machine(ines, "gate-ocr-04")
    ines.get_by_role("button", name="Limit a disk").click()
    form = ines.get_by_role("form", name="Limit a disk")
    form.get_by_role("textbox", name="Cap, IOPS").fill("50")
    form.get_by_role("button", name="Draft lot").click()
    expect(tray(ines)).to_contain_text("what is over 50 waits")
    run_lot(ines)
    rows = ines.get_by_role("table", name="Predicted and measured").get_by_role("row")
    capped = rows.filter(has_text="gate-ocr-04 disk 1")
    expect(capped).to_contain_text("kept to it by quay-")
    expect(rows.filter(has_text="granite-mixed")).to_contain_text("latency")
    # Of a quiet hour a tenth of a millisecond, as shown, may hide what they gain.
    (last, *_others) = caller.call("GET", "lots/").json()["results"]
    told = {row["figure"]: row for row in caller.lot(last["id"])["outcome"]}
    assert told["IOPS"]["measured"] == 50 < told["IOPS"]["before"]
    assert told["latency"]["measured"] < told["latency"]["before"]
