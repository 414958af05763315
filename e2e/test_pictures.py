"""The main views against pictures that somebody looked at, so that what nobody meant to change does not change.

The application draws answers that were recorded, at a fixed time; only what is drawn can differ. After a change that is
meant: ``make pictures``, look at ``e2e/pictures``, commit. ``make pictures ANSWERS=1`` also records the answers anew.
"""

from __future__ import annotations

import json
import os
import re
from datetime import UTC, datetime
from io import BytesIO
from pathlib import Path
from typing import Any
from urllib.parse import urlsplit

import numpy as np
import pytest
from PIL import Image
from playwright.sync_api import Page, Route, expect

from e2e.conftest import Caller, Stack

FOLDER = Path(__file__).parent / "pictures"
ANSWERS = FOLDER / "answers.json"
DRAW, RECORD = bool(os.environ.get("MOVELOT_PICTURES")), bool(os.environ.get("MOVELOT_ANSWERS"))
# A pixel differs when any of its colours does by more than this, as edges of letters may; so many may.
COLOUR_STEPS = 40
PIXELS_SHARE = 0.002
VIEWS = {
    "rounds": "/",
    "attach": "/attach",
    "paths": "/attach/paths",
    "block": "/attach/block?lot={attach}",
    "balance": "/balance/quayside?lot={balance}",
    "lots": "/lots",
    "trace": "/trace/datastore/1",
}


def _path(url: str) -> str:
    parts = urlsplit(url)
    return f"{parts.path}?{parts.query}" if parts.query else parts.path


@pytest.fixture(scope="module")
def recorded(stack: Stack, caller: Caller, browser: Any, browser_context_args: dict[str, Any]) -> dict[str, Any]:
    """The answers that the views are drawn from; recorded from the demo when that is asked for."""
    if RECORD:
        FOLDER.mkdir(exist_ok=True)
        ANSWERS.write_text(json.dumps(_recorded(caller, browser, browser_context_args), indent=1, sort_keys=True))
    return json.loads(ANSWERS.read_text())


def _recorded(caller: Caller, browser: Any, context_args: dict[str, Any]) -> dict[str, Any]:
    from e2e.conftest import URL

    stack_drafts = {
        "attach": {"cluster": "quayside", "name": "berth-e", "size": "2 TiB"},
        "balance": {"group": "quayside"},
    }
    drafts = {
        kind: caller.call("POST", "lots/", {"kind": kind, "form": form}).json()["summary"]["id"]
        for kind, form in stack_drafts.items()
    }
    asked: set[str] = set()
    context = browser.new_context(**context_args)
    page = context.new_page()
    cookies = [{"name": c.name, "value": c.value or "", "url": URL} for c in caller.session.cookies]
    context.add_cookies(cookies)
    page.on("request", lambda request: asked.add(_path(request.url)))
    for path in VIEWS.values():
        page.goto(path.format(**drafts))
        expect(page.get_by_role("status", name="Loading")).to_have_count(0)
        page.wait_for_load_state("networkidle")
    now = page.evaluate("Date.now()")
    context.close()
    calls = sorted(path for path in asked if path.startswith("/api/"))
    answers = {path: caller.call("GET", path.removeprefix("/api/")).json() for path in calls}
    answers["/api/session/"]["csrf"] = ""
    return {"now": now, "drafts": drafts, "answers": answers}


def _answering(recorded: dict[str, Any]) -> Any:
    def answer(route: Route) -> None:
        path = _path(route.request.url)
        found = recorded["answers"].get(path)
        if found is None:
            route.fulfill(status=404, json={"code": "not_recorded", "title": f"{path} is not recorded.", "status": 404})
        else:
            route.fulfill(json=found)

    return answer


@pytest.mark.parametrize("view", VIEWS)
@pytest.mark.parametrize("scheme", ["light", "dark"])
def test_a_view_looks_as_it_did(page: Page, recorded: dict[str, Any], view: str, scheme: str) -> None:
    page.clock.set_fixed_time(datetime.fromtimestamp(recorded["now"] / 1000, UTC))
    page.emulate_media(color_scheme=scheme, reduced_motion="reduce")  # type: ignore[arg-type]
    page.route(re.compile("/api/"), _answering(recorded))
    page.goto(VIEWS[view].format(**recorded["drafts"]))
    expect(page.get_by_role("heading", level=1)).to_be_visible()
    page.wait_for_load_state("networkidle")
    page.evaluate("document.fonts.ready.then(() => document.activeElement.blur())")
    expect(page.get_by_text("is not recorded")).to_have_count(0)
    drawn = page.screenshot(animations="disabled", caret="hide")
    reference = FOLDER / f"{view}-{scheme}.png"
    if DRAW:
        Image.open(BytesIO(drawn)).convert("RGB").quantize(128).save(reference, optimize=True)
        return
    differing = _differing(drawn, reference)
    if differing > PIXELS_SHARE:
        out = Path(os.environ.get("MOVELOT_RUN", ".run")) / "pictures"
        out.mkdir(parents=True, exist_ok=True)
        (out / reference.name).write_bytes(drawn)
        pytest.fail(f"{differing:.2%} of {view}, {scheme}, differ from {reference}; see {out / reference.name}")


def _differing(drawn: bytes, reference: Path) -> float:
    """The share of pixels that differ, of a picture in 128 colours as the reference is."""
    new = Image.open(BytesIO(drawn)).convert("RGB")
    old = Image.open(reference).convert("RGB")
    if new.size != old.size:
        return 1.0
    steps = np.abs(np.asarray(new, dtype=np.int16) - np.asarray(old, dtype=np.int16)).max(axis=2)
    return float((steps > COLOUR_STEPS).mean())
