"""Journeys through the rest of Attach: paths, losses, policies, grants, several at once, taking away."""

from __future__ import annotations

import re
from typing import Any

import pytest
from playwright.sync_api import Page, expect

from e2e.conftest import Caller, Stack, sign_in
from e2e.test_journeys import quays, run_lot, start_attach, tray


def test_the_uplink_fix_raises_four_of_eight_paths_to_eight(ines: Page) -> None:
    ines.goto("/attach/paths")
    board = ines.get_by_role("region", name="Paths of quayside to granite")
    row = board.get_by_role("row", name=re.compile("quay-03"))
    expect(row).to_contain_text("4 of 8")
    expect(ines.get_by_role("table", name="Single points of failure")).to_contain_text("switch-1")
    ines.goto("/")
    ines.get_by_role("button", name="Draft lot: One path away from an outage, quay-03").click()
    run_lot(ines)
    ines.goto("/attach/paths")
    expect(row).to_contain_text("8 of 8")
    expect(ines.get_by_text("■ every path is there")).to_be_visible()
    expect(ines.get_by_text("No single port, uplink")).to_be_visible()


def test_what_the_loss_of_a_controller_and_of_a_switch_would_do(ines: Page, fresh: Stack) -> None:
    ines.goto("/trace/array/1")
    ines.get_by_role("link", name="What if it is taken away").click()
    machines, disks = held_by(fresh.standins.world(), "granite")
    expect(ines.get_by_text("Without array granite")).to_contain_text(f"{machines} machines with {disks} disks stop")
    field = ines.get_by_role("combobox", name="Component")
    field.fill("controller")
    ines.get_by_role("option", name="controller granite A").click()
    expect(ines.get_by_text("no machine stops")).to_be_visible()
    field.fill("switch-1")
    ines.get_by_role("option", name="switch switch-1").click()
    machines = ines.get_by_role("table", name="Machines")
    expect(machines.get_by_role("row", name=re.compile("payroll|tide-model")).first).to_contain_text("quay-03")
    with ines.expect_download() as download:
        ines.get_by_role("link", name="CSV", exact=True).click()
    assert download.value.path().read_text().startswith("machine,effect,host")


def held_by(world: dict[str, Any], array: str) -> tuple[int, int]:
    """How many machines, and how many of their disks, have their data on an array."""
    pools = {pool["name"] for pool in world["pools"] if pool["array"] == array}
    serials = {volume["serial"] for volume in world["volumes"] if volume["pool"] in pools}
    stores = {store["id"] for store in world["datastores"] if store["serial"] in serials}
    held = [sum(disk["places"][-1][1] in stores for disk in machine["disks"]) for machine in world["machines"]]
    return sum(map(bool, held)), sum(held)


def test_device_settings_change_on_every_host_with_one_lot(ines: Page, fresh: Stack) -> None:
    ines.goto("/attach/device-settings")
    expect(ines.get_by_text("▲ differs").first).to_be_visible()
    ines.get_by_role("combobox", name="Set to").click()
    ines.get_by_role("option", name=re.compile("^round robin")).click()
    hosts = fresh.standins.world()["hosts"]
    spread = sum(policy == "RoundRobin" for host in hosts for policy in host["path_policy"].values())
    count = sum(len(host["known"]) for host in hosts)
    expect(ines.get_by_text(f"{count} devices, {count - spread} would change")).to_be_visible()
    ines.get_by_role("button", name="Draft lot").click()
    run_lot(ines)
    set_now = [policy for host in fresh.standins.world()["hosts"] for policy in host["path_policy"].values()]
    assert set(set_now) == {"RoundRobin"}


def test_taking_away_is_refused_with_the_users_and_done_once_nothing_uses_it(ines: Page, fresh: Stack) -> None:
    ines.keyboard.press("/")
    ines.keyboard.type("berth-d")
    ines.get_by_role("option", name=re.compile("datastore berth-d")).click()
    ines.get_by_role("button", name="Take away").click()
    expect(ines.get_by_role("region", name="What uses it")).to_contain_text("archive-01 disk 1")
    expect(tray(ines).get_by_role("button", name="Run lot")).to_be_disabled()
    ines.goto("/")
    ines.get_by_role("button", name="Draft lot: No host uses it, slate-09").click()
    expect(ines.get_by_text("Nothing uses it")).to_be_visible()
    expect(tray(ines).get_by_role("button", name="Run lot")).to_be_disabled()
    ines.get_by_label("Type slate-09 to allow deleting").fill("slate-09")
    expect(tray(ines)).to_contain_text("cannot be undone")
    run_lot(ines)
    assert "slate-09" not in {v["name"] for v in fresh.standins.world()["volumes"]}
    ines.goto("/")
    expect(ines.get_by_role("list", name="Findings")).not_to_contain_text("slate-09")


def test_a_volume_only_some_hosts_see_is_shown_to_all(ines: Page, fresh: Stack) -> None:
    ines.get_by_role("button", name="Draft lot: Seen by some hosts only, berth-f").click()
    expect(tray(ines)).to_contain_text("Let quay-02 see berth-f")
    run_lot(ines)
    world = fresh.standins.world()
    store = next(d["id"] for d in world["datastores"] if d["name"] == "berth-f")
    assert all(store in host["mounted"] for host in quays(world))


def test_storage_grants_a_quota_and_the_draft_keeps_to_it(
    ines: Page, fresh: Stack, caller: Caller, browser_context_args: dict[str, object]
) -> None:
    context = ines.context.browser.new_context(**browser_context_args)  # type: ignore[union-attr,arg-type]
    page = sign_in(context.new_page(), fresh, "tobias.wren")
    page.goto("/attach")
    page.get_by_role("button", name="Change the grant of granite-mixed").click()
    page.get_by_label("Quota of granite-mixed").fill("22 TiB")
    page.get_by_role("button", name="Grant", exact=True).click()
    expect(page.get_by_role("table", name="Grants")).to_contain_text("22.0 TiB of 28.0 TiB")
    start_attach(ines, "berth-q", "2 TiB")
    mixed = ines.get_by_role("radio", name=re.compile("granite-mixed"))
    expect(mixed).to_have_accessible_name(re.compile("1.00 TiB of the granted quota left, 2.00 TiB needed"))
    page.get_by_role("button", name="Change the grant of granite-mixed").click()
    page.get_by_label("Quota of granite-mixed").fill("")
    page.get_by_role("button", name="Grant", exact=True).click()
    expect(page.get_by_role("table", name="Grants")).to_contain_text("whole pool, 28.0 TiB")
    ines.get_by_role("textbox", name="Size").fill("2.5 TiB")
    expect(mixed).to_have_accessible_name(re.compile("fits"))
    context.close()


def test_three_datastores_come_from_one_lot(ines: Page, fresh: Stack) -> None:
    start_attach(ines, "berth-m#", "1 TiB")
    ines.get_by_label("How many").fill("3")
    expect(ines.get_by_role("region", name="Volumes")).to_contain_text("3 volumes, 3.00 TiB together")
    run_lot(ines)
    stores = {d["name"]: d["id"] for d in fresh.standins.world()["datastores"]}
    for name in ("berth-m1", "berth-m2", "berth-m3"):
        assert all(stores[name] in host["mounted"] for host in quays(fresh.standins.world()))
    tray(ines).get_by_role("button", name="Undo").click()
    run_lot(ines)
    assert "berth-m1" not in {v["name"] for v in fresh.standins.world()["volumes"]}


def test_file_storage_is_mounted_on_a_cluster_with_its_timeouts_fixed(ines: Page, fresh: Stack) -> None:
    ines.goto("/attach")
    ines.get_by_role("button", name=re.compile("^File storage")).click()
    ines.get_by_role("textbox", name="Datastore name").fill("sand-05")
    ines.get_by_role("textbox", name="Size").fill("2 TiB")
    expect(ines.get_by_role("region", name="Hosts", exact=True)).to_contain_text("request timeout 10 → 45 s")
    ines.get_by_role("radio", name=re.compile("shale-b")).check()
    expect(tray(ines)).to_contain_text("controller B")
    run_lot(ines)
    world = fresh.standins.world()
    store = next(d for d in world["datastores"] if d["name"] == "sand-05")
    assert store["server"] == "shale-b.kestrelbay.example"
    assert all(store["id"] in host["mounted"] for host in quays(world))
    ines.goto("/attach/file-limits")
    expect(ines.get_by_text(f"0 of {5 * len(quays(world))} values differ")).to_be_visible()
    ines.goto("/")
    expect(ines.get_by_role("list", name="Findings")).not_to_contain_text("NFS timeouts differ")


@pytest.mark.usefixtures("chalk_one")
def test_nvme_storage_is_granted_discovered_and_its_frames_mended(
    ines: Page, fresh: Stack, browser_context_args: dict[str, object]
) -> None:
    context = ines.context.browser.new_context(**browser_context_args)  # type: ignore[union-attr,arg-type]
    page = sign_in(context.new_page(), fresh, "tobias.wren")
    page.goto("/attach")
    page.get_by_role("button", name="Change the grant of chalk-one").click()
    page.get_by_role("button", name="Grant", exact=True).click()
    expect(page.get_by_role("table", name="Grants")).to_contain_text("whole pool, 12.0 TiB")
    context.close()
    start_attach(ines, "chalk-01", "1 TiB")
    ines.get_by_role("radio", name=re.compile("chalk-one")).click()
    expect(ines.get_by_role("row", name=re.compile("quay-03"))).to_contain_text("2 of 4")
    expect(tray(ines)).to_contain_text("Connect each host to chalk")
    run_lot(ines)
    ines.goto("/")
    ines.get_by_role("button", name="Draft lot: One path away from an outage, quay-03 to chalk").click()
    expect(tray(ines)).to_contain_text("Set frames of nvme-b to 9000 bytes")
    run_lot(ines)
    ines.goto("/attach/paths")
    ines.get_by_role("combobox", name="Array").click()
    ines.get_by_role("option", name="chalk").click()
    board = ines.get_by_role("region", name="Paths of quayside to chalk")
    expect(board.get_by_role("row", name=re.compile("quay-03"))).to_contain_text("4 of 4")


def test_a_missing_zone_is_asked_for_and_its_path_found(ines: Page, fresh: Stack, caller: Caller) -> None:
    ines.get_by_role("link", name="Open: Paths missing, gate-03 to granite").click()
    board = ines.get_by_role("region", name="Paths of gatehouse to granite")
    expect(board.get_by_role("row", name=re.compile("gate-03"))).to_contain_text("3 of 4")
    expect(board.get_by_role("img", name="storage-a to A1: stands by")).to_be_visible()
    zones = ines.get_by_role("table", name="Zones to ask for")
    expect(zones).to_contain_text("granite-bf2")
    zone = next(zone for zone in fresh.standins.world()["zones"] if zone["name"] == "gate-03-fc-b")
    added = ["granite-bf2", "50:24:b4:20:00:00:02:02"]
    fresh.standins.control("zone", fabric="fabric-2", name="gate-03-fc-b", members=[*zone["members"], added])
    assert caller.call("POST", "devices/reread/").ok
    ines.goto("/")
    ines.get_by_role("button", name="Draft lot: Paths missing, gate-03 to granite").click()
    expect(tray(ines)).to_contain_text("Rescan gate-03")
    run_lot(ines)
    ines.goto("/attach/paths?cluster=gatehouse&array=granite")
    expect(ines.get_by_text("■ every path is there")).to_be_visible()


def test_a_label_is_given_and_found_again(ines: Page) -> None:
    ines.keyboard.press("/")
    ines.keyboard.type("berth-b")
    ines.get_by_role("option", name=re.compile("datastore berth-b")).click()
    labels = ines.get_by_role("region", name="Labels")
    labels.get_by_role("textbox", name="New label").fill("tier gold")
    labels.get_by_role("textbox", name="New label").press("Enter")
    expect(labels.get_by_role("alert")).to_contain_text("Write it as team=berths.")
    labels.get_by_role("textbox", name="New label").fill("tier=gold")
    labels.get_by_role("textbox", name="New label").press("Enter")
    expect(labels.get_by_text("tier=gold")).to_be_visible()
    ines.goto("/")
    expect(ines.get_by_role("list", name="Findings")).to_be_visible()
    ines.keyboard.press("/")
    ines.keyboard.type("tier=")
    expect(ines.get_by_role("option", name=re.compile("datastore berth-b"))).to_be_visible()


EVERYWHERE = ("/", "/attach", "/attach/paths", "/attach/file-limits", "/balance/quayside", "/lots", "/devices")


@pytest.mark.parametrize("width", [900, 640])
def test_the_pages_work_in_a_narrow_window(ines: Page, width: int) -> None:
    """640 px is 1280 px at 200 %: nothing is cut off, with the tray folded and open."""
    ines.set_viewport_size({"width": width, "height": 700})
    for path in EVERYWHERE:
        ines.goto(path)
        expect(ines.get_by_role("heading", level=1)).to_be_visible()
        expect(ines.get_by_role("complementary", name="Tray, folded")).to_be_visible()
        ines.wait_for_load_state("networkidle")
        assert ines.evaluate(CUT_OFF) == [], path
    ines.goto("/")
    expect(ines.get_by_role("list", name="Findings")).to_be_visible()
    ines.keyboard.press("l")
    expect(ines.get_by_role("complementary", name="Tray", exact=True)).to_be_visible()
    assert ines.evaluate(CUT_OFF) == []


# Buttons and links that stick out of the page to the side, but for those that lie in what scrolls sideways by itself.
CUT_OFF = """() => {
  const scrolls = (element) => {
    for (let each = element.parentElement; each && each.tagName !== "MAIN"; each = each.parentElement)
      if (/auto|scroll/.test(getComputedStyle(each).overflowX)) return true;
    return false;
  };
  const main = document.querySelector("main");
  const right = main.getBoundingClientRect().right;
  const out = [...main.querySelectorAll("button, a, input")].filter((element) => {
    const box = element.getBoundingClientRect();
    return box.width > 0 && box.right > right + 1 && !scrolls(element);
  });
  const wide = main.scrollWidth - main.clientWidth;
  return [...out.map((element) => element.outerHTML.slice(0, 120)), ...(wide > 1 ? [`${wide} px too wide`] : [])];
}"""
