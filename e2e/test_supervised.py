"""Every process of the product killed while a lot runs: each comes back by itself, and nothing is lost or doubled."""

from __future__ import annotations

import os
import signal
from collections.abc import Iterator
from datetime import UTC, datetime

import pytest
import requests
from playwright.sync_api import Page, expect

import services
from conftest import until
from e2e.conftest import PORT, URL, Caller, Stack
from e2e.test_worker import BALANCE
from soak.product import Product


@pytest.fixture(scope="module")
def kept(stack: Stack) -> Iterator[Product]:
    """The stack under its supervisor, MariaDB and Redis included."""
    stack.stop()
    running = Product(PORT, stack.folder / "kept", stack.folder / "s", stack.env)
    # Seven processes start at once, beside another run of the browser.
    until(stack.answers, "the web server", 180)
    yield running
    running.end()
    services.start()
    stack.start()


def parts() -> dict[str, str]:
    try:
        found: dict[str, str] = requests.get(f"{URL}/readyz", timeout=5).json()["parts"]
    except requests.RequestException:
        return {"web": "down"}
    return found


# Those with a browser run beside one another: the stack is set up so but once.
@pytest.mark.usefixtures("browser")
def test_whatever_is_killed_comes_back_and_the_lot_goes_on(kept: Product, fresh: Stack, caller: Caller) -> None:
    fresh.standins.control("pace", pace=60)
    lot = caller.call("POST", "lots/", BALANCE).json()["summary"]["id"]
    assert caller.call("POST", f"lots/{lot}/run/").ok
    until(lambda: any(step["done_amount"] > 0 for step in caller.lot(lot)["steps"]), "a copy under way")
    for name in kept.names:
        kept.kill(name)
        until(lambda: set(parts().values()) == {"up"}, f"all of it after the death of {name}")
    killed = datetime.now(UTC)
    fresh.standins.control("pace", pace=3000)
    assert caller.ended(lot, 90) == "done"
    copied = [task["disk"] for task in fresh.standins.world()["tasks"] if task["kind"] == "MoveDisk"]
    assert len(copied) == len(set(copied)) == len(caller.lot(lot)["steps"])

    # One whose certificate was changed by an earlier journey is read by nobody.
    linked = {row["id"] for row in caller.call("GET", "devices/").json() if row["state"] == "linked"}
    assert len(linked) > 10

    def read_anew() -> bool:
        rows = [row for row in caller.call("GET", "devices/").json() if row["id"] in linked]
        return all(datetime.fromisoformat(row["read_at"]) > killed for row in rows)

    until(read_anew, "readings after the kills", 90)


def test_a_page_says_that_the_database_is_down_and_goes_on_when_it_is_back(kept: Product, ines: Page) -> None:
    expect(ines.get_by_role("heading", name="Rounds")).to_be_visible()
    number = int((services.RUN / "mariadb.pid").read_text())
    kept.supervisor.ask("stop", "mariadb")
    if services.alive(services.RUN / "mariadb.pid"):
        os.kill(number, signal.SIGTERM)
    said = ines.get_by_role("status", name="Move Lot itself")
    expect(said).to_contain_text("database does not answer", timeout=60_000)
    kept.supervisor.ask("start", "mariadb")
    expect(said).to_be_empty(timeout=60_000)
