"""Journeys of a user in the real interface: rounds, attach, balance, undo, halt; by roles and labels."""

from __future__ import annotations

import re
from typing import Any

from axe_playwright_python.sync_playwright import Axe
from playwright.sync_api import Locator, Page, expect

from conftest import until
from e2e.conftest import Caller, Stack, sign_in

TIB = 1024**4


def tray(page: Page) -> Locator:
    """The lot at hand: in the tray, or on its own page, where the tray is folded."""
    return beside(page).or_(page.get_by_role("region", name="This lot"))


def beside(page: Page) -> Locator:
    """The tray."""
    return page.get_by_role("complementary", name="Tray", exact=True)


def state(page: Page) -> Locator:
    """The state of the lot at hand."""
    return page.get_by_role("status", name="State of the lot").last


def run_lot(page: Page, seconds: float = 60) -> None:
    """Run the lot at hand and watch it end well, without a reload."""
    page.get_by_role("button", name="Run lot").click()
    expect(state(page)).to_have_text("done", timeout=seconds * 1000)


def quays(world: dict[str, Any]) -> list[dict[str, Any]]:
    """The hosts of quayside, as the stand-ins have them."""
    return [host for host in world["hosts"] if host["cluster"] == "quayside"]


def start_attach(page: Page, name: str, size: str) -> None:
    page.get_by_role("navigation", name="Pages").get_by_role("link", name="Attach").click()
    page.get_by_role("button", name="Block volume").click()
    page.get_by_label("Datastore name").fill(name)
    page.get_by_role("textbox", name="Size").fill(size)


def test_rounds_show_what_wants_attention_with_figures(ines: Page, fresh: Stack) -> None:
    findings = ines.get_by_role("list", name="Findings").get_by_role("listitem")
    # One lot clears both berth-a and granite-fast: they share a row.
    expect(findings).to_have_count(11)
    expect(findings.filter(has_text="berth-a")).to_contain_text("95 % full")
    expect(findings.filter(has_text="One path away")).to_contain_text("sees 6 of 12 paths to basalt and granite")
    expect(findings.filter(has_text="granite-fast")).to_contain_text("on weekdays")
    expect(findings.filter(has_text="berth-f")).to_contain_text("5 of 6 hosts see it")
    world = fresh.standins.world()
    disks = sum(len(machine["disks"]) for machine in world["machines"])
    counts = f"{len(world['datastores'])} datastores, {len(world['hosts'])} hosts, {disks} disks"
    expect(ines.get_by_role("main")).to_contain_text(counts)


def test_attach_a_block_volume_watch_it_and_undo_it(ines: Page, fresh: Stack) -> None:
    start_attach(ines, "berth-e", "2 TiB")
    pools = ines.get_by_role("radiogroup", name="Pool").get_by_role("radio")
    expect(pools.first).to_have_accessible_name(re.compile("granite-mixed"))
    expect(pools.first).to_be_checked()
    expect(pools.nth(1)).to_have_accessible_name(re.compile("at its peak hour"))
    board = ines.get_by_role("figure", name="Paths the hosts will have")
    count = len(quays(fresh.standins.world()))
    # Eight portals; quay-03 misses half of them.
    expect(board).to_contain_text(f"{8 * count - 4} of {8 * count}")
    expect(board.get_by_role("row", name=re.compile("quay-03"))).to_contain_text("standby uplink")
    expect(tray(ines)).to_contain_text("quay-03 would reach it over 10.40.8.0/24 only")
    expect(tray(ines).get_by_role("list", name="Steps")).to_contain_text("Create thin volume berth-e, 2.00 TiB")
    run_lot(ines)
    # Another client sees it on the devices themselves.
    world = fresh.standins.world()
    volume = next(v for v in world["volumes"] if v["name"] == "berth-e")
    assert volume["size_bytes"] == 2 * TIB
    store = next(d for d in world["datastores"] if d["serial"] == volume["serial"])
    assert all(store["id"] in host["mounted"] for host in quays(world))
    beside(ines).get_by_role("link", name=re.compile("^Lot ")).click()
    expect(ines.get_by_role("figure", name="Lane chart")).to_contain_text("quay-02")
    measured = ines.get_by_role("table", name="Predicted and measured")
    expect(measured.get_by_role("row", name=re.compile("hosts that mount it"))).to_contain_text(str(count))
    ines.get_by_role("main").get_by_role("button", name="Undo").click()
    expect(beside(ines)).to_contain_text("Delete volume berth-e")
    run_lot(ines)
    assert "berth-e" not in {v["name"] for v in fresh.standins.world()["volumes"]}


def test_bad_sizes_and_names_are_explained_beside_the_field(ines: Page) -> None:
    start_attach(ines, "berth-a", "4,5")
    expect(ines.get_by_text("A datastore or volume named berth-a exists already.").first).to_be_visible()
    expect(ines.get_by_text("Write 4.5 TiB for the decimal.").first).to_be_visible()
    expect(tray(ines).get_by_role("button", name="Run lot")).to_be_disabled()
    ines.get_by_role("textbox", name="Size").fill("4 tb")
    expect(ines.get_by_text("4.00 TB as the array counts")).to_be_visible()


def test_balance_shows_the_plan_takes_one_more_move_and_measures(ines: Page, fresh: Stack) -> None:
    before = fresh.standins.placement()
    fresh.standins.control("pace", pace=4000)
    ines.get_by_role("button", name=re.compile("Draft lot: Full in .*, berth-a")).click()
    board = ines.get_by_role("group", name="Stack board of quayside")
    expect(board.get_by_role("group", name=re.compile("berth-a, 95 % full"))).to_be_visible()
    moves = ines.get_by_role("table", name="Moves of quayside").get_by_role("row")
    planned = until(lambda: max(0, moves.count() - 1), "the plan")
    expect(ines.get_by_text("no plan can do it with less than")).to_be_visible()
    # One more by keyboard: the prediction follows at once.
    block = board.get_by_role("button", name=re.compile("^archive-01 disk 1, .*, level")).first
    block.focus()
    ines.keyboard.press("Enter")
    ines.get_by_role("menuitem", name=re.compile("Move to berth-c")).click()
    expect(moves).to_have_count(planned + 2)
    expect(ines.get_by_role("row", name=re.compile("archive-01 disk 1"))).to_contain_text("berth-d → berth-c")
    run_lot(ines, 90)
    after = fresh.standins.placement()
    assert after["archive-01-1"] != before["archive-01-1"]
    beside(ines).get_by_role("link", name=re.compile("^Lot ")).click()
    row = ines.get_by_role("table", name="Predicted and measured").get_by_role(
        "row", name=re.compile("granite-fast latency")
    )
    expect(row).to_contain_text("ms")
    expect(row).to_contain_text("for the load of that minute")


def test_a_block_is_dragged_to_another_datastore(ines: Page) -> None:
    ines.goto("/balance/quayside")
    board = ines.get_by_role("group", name="Stack board of quayside")
    block = board.get_by_role("button", name=re.compile("^customs-docs disk 1"))
    target = board.get_by_role("group", name=re.compile("^berth-d"))
    start, end = block.bounding_box(), target.bounding_box()
    assert start
    assert end
    ines.mouse.move(start["x"] + 20, start["y"] + start["height"] / 2)
    ines.mouse.down()
    ines.mouse.move(start["x"] + 60, start["y"] + 5, steps=4)
    ines.mouse.move(end["x"] + end["width"] / 2, end["y"] + end["height"] / 2, steps=12)
    ines.mouse.up()
    expect(ines.get_by_role("row", name=re.compile("customs-docs disk 1"))).to_contain_text("berth-a → berth-d")


def test_copies_show_rate_and_time_left_and_halt_leaves_nothing_half_made(ines: Page, fresh: Stack) -> None:
    fresh.standins.control("pace", pace=20)
    before = fresh.standins.placement()
    ines.get_by_role("button", name="Draft lot: Full in", exact=False).click()
    tray(ines).get_by_role("button", name="Run lot").click()
    expect(tray(ines).get_by_text(re.compile(r"GiB/s, .* left")).first).to_be_visible(timeout=60_000)
    tray(ines).get_by_role("button", name="Halt").click()
    expect(state(ines)).to_have_text("halted", timeout=60_000)
    assert fresh.standins.placement() == before
    assert not [t for t in fresh.standins.world()["tasks"] if t["state"] == "Running"]
    fresh.standins.control("pace", pace=5000)
    tray(ines).get_by_role("button", name="Continue").click()
    expect(state(ines)).to_have_text("done", timeout=60_000)
    tray(ines).get_by_role("button", name="Undo").click()
    run_lot(ines)
    assert fresh.standins.placement() == before


def test_a_draft_survives_reload_and_a_session_that_ends_while_typing(ines: Page, fresh: Stack) -> None:
    start_attach(ines, "berth-kept", "3 TiB")
    expect(tray(ines)).to_contain_text("Create thin volume berth-kept")
    ines.reload()
    expect(ines.get_by_label("Datastore name")).to_have_value("berth-kept")
    ines.context.clear_cookies()
    ines.get_by_label("Datastore name").fill("berth-kept-2")
    expect(ines.get_by_text("Your session has ended.")).to_be_visible()
    ines.get_by_label("Name", exact=True).fill("ines.marrow")
    ines.get_by_label("Password").fill(fresh.people["ines.marrow"])
    ines.get_by_role("button", name="Sign in").click()
    expect(ines.get_by_label("Datastore name")).to_have_value("berth-kept-2")
    ines.get_by_role("textbox", name="Size").fill("3.5 TiB")
    expect(tray(ines)).to_contain_text("Create thin volume berth-kept-2, 3.50 TiB")


def test_find_keys_and_units_work_from_the_keyboard(ines: Page) -> None:
    ines.keyboard.press("/")
    ines.keyboard.type("weighbridge")
    option = ines.get_by_role("option", name=re.compile("disk weighbridge disk 1"))
    expect(option).to_be_visible()
    option.click()
    expect(ines.get_by_role("heading", name="weighbridge disk 1")).to_be_visible()
    ines.get_by_role("button", name="As a table").click()
    expect(ines.get_by_role("region", name="Arrays", exact=True)).to_contain_text("granite")
    expect(ines.get_by_text("200 GiB").first).to_be_visible()
    ines.keyboard.press("u")
    expect(ines.get_by_text("215 GB").first).to_be_visible()
    ines.keyboard.press("?")
    expect(ines.get_by_role("dialog", name="Keys")).to_be_visible()
    ines.keyboard.press("Escape")
    ines.keyboard.press("g")
    ines.keyboard.press("b")
    expect(ines.get_by_role("heading", name="Group quayside")).to_be_visible()


def test_signing_in_with_a_wrong_password_says_so_and_the_right_one_opens_rounds(page: Page, fresh: Stack) -> None:
    page.goto("/")
    page.get_by_label("Name").fill("tobias.wren")
    page.get_by_label("Password").fill("wrong")
    page.get_by_role("button", name="Sign in").click()
    expect(page.get_by_role("alert")).to_contain_text("Name or password is wrong.")
    sign_in(page, fresh, "tobias.wren")


def test_the_auditor_sees_all_and_is_offered_no_change(page: Page, fresh: Stack) -> None:
    sign_in(page, fresh, "auditor")
    expect(page.get_by_role("button", name=re.compile("Draft lot: Full in .*, berth-a"))).to_be_disabled()
    page.goto("/attach")
    expect(page.get_by_role("button", name="Block volume")).to_be_disabled()


def test_an_unknown_address_says_where_to_go(ines: Page) -> None:
    ines.goto("/no/such/page")
    expect(ines.get_by_role("heading", name="There is no page at /no/such/page")).to_be_visible()


JUDGED_BY_AXE = (
    "/",
    "/attach",
    "/attach/paths",
    "/attach/loss?kind=switch&name=switch-1",
    "/attach/device-settings",
    "/attach/file-limits",
    "/attach/detach",
    "/policies",
    "/balance/quayside",
    "/balance/groups",
    "/balance/neighbours",
    "/balance/week",
    "/capacity",
    "/capacity?by=datastore&row=1",
    "/capacity/shares",
    "/capacity/pool/1",
    "/capacity/reduction",
    "/capacity/room",
    "/capacity/what-ifs",
    "/lots",
    "/trace/datastore/1",
    "/devices",
    "/audit",
)
# A draft of each kind that has a form, with what makes the form show all it has.
FORMS: tuple[tuple[str, dict[str, Any]], ...] = (
    ("attach", {"cluster": "quayside", "name": "berth-#", "size": "2 TiB", "count": "2"}),
    ("attach", {"raw": True, "name": "quorum-1", "size": "1 TiB"}),
    ("attach_file", {"cluster": "quayside", "name": "sand-9", "size": "2 TiB"}),
    ("attach_set", {"cluster": "quayside", "name": "chalk-vd"}),
    ("balance", {"group": "quayside"}),
    ("detach", {"volume": 1, "keep": False}),
    ("use_volume", {"volume": 1}),
)
PATHS_OF_FORMS = {
    "attach": "/attach/block",
    "attach_file": "/attach/file",
    "attach_set": "/attach/set",
    "balance": "/balance",
    "detach": "/attach/detach",
    "use_volume": "/attach/use",
}


PAPER = "getComputedStyle(document.documentElement).getPropertyValue('--paper')"


def serious_at(page: Page, path: str) -> list[tuple[str, str, str, list[str]]]:
    """What axe finds at a path that is serious or worse; in the dark theme only colours are other ones."""
    page.goto(path)
    expect(page.get_by_role("heading").first).to_be_visible()
    page.wait_for_load_state("networkidle")
    light = page.evaluate(PAPER)
    found = [("light", each) for each in Axe().run(page).response["violations"]]
    page.emulate_media(color_scheme="dark")
    until(lambda: page.evaluate(PAPER) != light, "the dark theme")
    # Colours of buttons change gradually.
    page.evaluate("Promise.all(document.getAnimations().map((each) => each.finished))")
    contrast = Axe().run(page, options={"runOnly": ["color-contrast"]}).response["violations"]
    page.emulate_media(color_scheme="light")
    return [
        (path, scheme, v["id"], [n["html"][:160] for n in v["nodes"][:3]])
        for scheme, v in [*found, *(("dark", each) for each in contrast)]
        if v["impact"] in ("serious", "critical")
    ]


def test_axe_finds_nothing_serious_in_either_theme(ines: Page, caller: Caller) -> None:
    ines.emulate_media(color_scheme="light")
    volumes = caller.call("GET", "find/?q=slate-09").json()["hits"]
    volume = next(hit["id"] for hit in volumes if hit["kind"] == "volume")
    asked = {"name": "Looked at", "requirements": [{"kind": "media", "value": "SSD"}]}
    policy = caller.call("POST", "policies/", asked).json()["id"]
    kept = caller.call("POST", "capacity/what-ifs/", {"name": "busier", "growth": 2}).json()["id"]
    until(lambda: caller.call("GET", "policies/").json()["policies"], "the fit board")
    serious = [found for path in JUDGED_BY_AXE for found in serious_at(ines, path)]
    for kind, form in FORMS:
        wanted = {**form, "volume": volume} if "volume" in form else form
        lot = caller.call("POST", "lots/", {"kind": kind, "form": wanted}).json()["summary"]["id"]
        serious += serious_at(ines, f"{PATHS_OF_FORMS[kind]}?lot={lot}")
        serious += serious_at(ines, f"/lots/{lot}")
        assert caller.call("DELETE", f"lots/{lot}/").ok
    assert caller.call("DELETE", f"policies/{policy}/").ok
    assert caller.call("DELETE", f"capacity/what-ifs/{kept}/").ok
    assert not serious
