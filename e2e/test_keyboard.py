"""The work done by keyboard alone: attach, balance and undo, without a pointer."""

from __future__ import annotations

import re

from playwright.sync_api import Locator, Page, expect

from e2e.conftest import Stack
from e2e.test_journeys import beside, quays, state

TABS_MAX = 120


def tab_to(page: Page, wanted: Locator) -> None:
    """Press Tab until what is wanted has the focus."""
    expect(wanted).to_be_visible()
    for _ in range(TABS_MAX):
        if wanted.evaluate("element => element === document.activeElement"):
            return
        page.keyboard.press("Tab")
    raise AssertionError(f"{TABS_MAX} tabs do not lead to {wanted}")


def press(page: Page, name: str | re.Pattern[str], within: Locator | None = None) -> None:
    """Go to a button by Tab and press it."""
    tab_to(page, (within or page).get_by_role("button", name=name))
    page.keyboard.press("Enter")


def go(page: Page, letter: str) -> None:
    page.keyboard.press("g")
    page.keyboard.press(letter)


def focus_ring(page: Page) -> str:
    """How the focus is shown on what has it."""
    style = page.evaluate("(s => [s.outlineStyle, s.outlineWidth])(getComputedStyle(document.activeElement))")
    return " ".join(style)


def test_storage_is_attached_and_undone_by_keyboard(ines: Page, fresh: Stack) -> None:
    go(ines, "a")
    expect(ines.get_by_role("heading", name="Attach", exact=True)).to_be_visible()
    # Going to a page takes the focus there: the next Tab is in it, not in the strip.
    assert ines.evaluate("document.activeElement.id") == "page"
    press(ines, re.compile("^Block volume"))
    name = ines.get_by_label("Datastore name")
    expect(name).to_be_focused()
    ines.keyboard.type("berth-keys")
    tab_to(ines, ines.get_by_role("textbox", name="Size"))
    ines.keyboard.type("1 TiB")
    expect(beside(ines)).to_contain_text("Create thin volume berth-keys, 1.00 TiB")
    # Radios: one tab stop, arrow keys between them.
    pools = ines.get_by_role("radiogroup", name="Pool")
    tab_to(ines, pools.get_by_role("radio", checked=True))
    ines.keyboard.press("ArrowDown")
    expect(pools.get_by_role("radio", checked=True)).to_have_accessible_name(re.compile("granite-fast"))
    ines.keyboard.press("ArrowUp")
    expect(pools.get_by_role("radio", checked=True)).to_have_accessible_name(re.compile("granite-mixed"))
    run = beside(ines).get_by_role("button", name="Run lot")
    expect(run).to_be_enabled()
    tab_to(ines, run)
    assert focus_ring(ines) == "solid 2px"
    ines.keyboard.press("Enter")
    expect(state(ines)).to_have_text("done", timeout=60_000)
    store = next(d for d in fresh.standins.world()["datastores"] if d["name"] == "berth-keys")
    assert all(store["id"] in host["mounted"] for host in quays(fresh.standins.world()))
    press(ines, "Undo", beside(ines))
    expect(beside(ines)).to_contain_text("Delete volume berth-keys")
    press(ines, "Run lot", beside(ines))
    expect(state(ines)).to_have_text("done", timeout=60_000)
    assert "berth-keys" not in {v["name"] for v in fresh.standins.world()["volumes"]}


def test_a_move_is_planned_by_keyboard_from_one_tab_stop(ines: Page, fresh: Stack) -> None:
    go(ines, "b")
    board = ines.get_by_role("group", name="Stack board of quayside")
    expect(board).to_be_visible()
    blocks = board.get_by_role("button")
    assert blocks.evaluate_all("all => all.filter(each => each.tabIndex === 0).length") == 1
    tab_to(ines, board.locator("button[tabindex='0']"))
    assert focus_ring(ines) == "solid 2px"
    ines.keyboard.press("ArrowRight")
    ines.keyboard.press("ArrowDown")
    moved = ines.evaluate("document.activeElement.getAttribute('aria-label')").split(",")[0]
    ines.keyboard.press("Enter")
    expect(ines.get_by_role("menu", name="Move to")).to_be_visible()
    # Single keys do nothing while a list is open.
    ines.keyboard.press("End")
    ines.keyboard.press("Enter")
    moves = ines.get_by_role("table", name="Moves of quayside")
    expect(moves).to_contain_text(moved, timeout=60_000)
    press(ines, "Drop", beside(ines))
    # The form of a draft that is gone does not stay open.
    expect(ines).to_have_url(re.compile("/balance/quayside$"))
    expect(moves).to_have_count(0)
    assert fresh.standins.placement()


def test_the_skip_link_leads_past_the_strip(ines: Page) -> None:
    ines.reload()
    expect(ines.get_by_role("list", name="Findings")).to_be_visible()
    ines.keyboard.press("Tab")
    skip = ines.get_by_role("link", name="Skip to the page")
    expect(skip).to_be_focused()
    expect(skip).to_be_in_viewport()
    ines.keyboard.press("Enter")
    ines.keyboard.press("Tab")
    assert ines.evaluate("document.querySelector('main').contains(document.activeElement)")


def test_pages_have_titles_of_their_own(ines: Page) -> None:
    for path, title in (("/", "Rounds"), ("/attach/paths", "Paths"), ("/lots", "Lots"), ("/devices", "Devices")):
        ines.goto(path)
        expect(ines).to_have_title(f"{title} · Move Lot")
