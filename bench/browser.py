"""The large estate in the real browser: when pages can be used, how they scroll, and what they leave in memory.

Calls of the API may be fast while the page behind them is not: this measures what a person waits for. ``python -m
bench.browser`` builds the estate by itself.
"""

from __future__ import annotations

import os
from typing import Any

from playwright.sync_api import Page, Route, sync_playwright

from bench.server import served

PORT = 34_900
URL = f"http://127.0.0.1:{PORT}"
PERSON, PASSWORD = "ines.marrow", "bench-only-password"
ENTRIES = 20_000
TIMES = 5
WHEELS = 60
UPDATES = 120
# Until a page shows what it is for.
PAGES = {
    "Rounds": ("/", "[aria-label=Findings] li"),
    "Attach": ("/attach", "[aria-label='Reach of clusters to arrays'] td"),
    "Paths": ("/attach/paths", "[role=region][aria-label^='Paths of'] tbody tr"),
    "Balance": ("/balance/quayside", "[role=list][aria-label^='all'] [role=listitem]"),
    "Audit, 20,000 rows": ("/audit", "table[aria-label='Audit trail'] tbody tr:nth-child(3)"),
    "Lot of 1,603 steps": ("/lots/{lot}", "table[aria-label^='Steps of lot'] tbody tr:nth-child(3)"),
}


def report() -> None:
    """Figures on the estate that ``bench.pages`` has built in this database."""
    lot = _prepare()
    with served(PORT), sync_playwright() as playwright:
        browser = playwright.chromium.launch(
            executable_path="/usr/bin/chromium", args=["--no-sandbox", "--disable-gpu", "--enable-precise-memory-info"]
        )
        page = browser.new_context(viewport={"width": 1280, "height": 800}).new_page()
        page.set_default_timeout(60_000)
        _sign_in(page)
        print(f"{'page':20} {'first ms':>9} {'then, worst ms':>15} {'longest frame while scrolling ms':>34}")
        for name, (path, shown) in PAGES.items():
            where = path.format(lot=lot)
            times = [_usable(page, where, shown) for _ in range(TIMES)]
            print(f"{name:20} {times[0]:>9.0f} {max(times[1:]):>15.0f} {_longest_frame(page):>34.0f}")
        _memory(page)
        browser.close()


def _prepare() -> int:
    """A lot of 1,603 steps, 20,000 entries of the audit trail, and the static files. Returns the lot's key."""
    from django.core.management import call_command
    from django.utils.timezone import now

    from movelot.accounts.models import User
    from movelot.audit.models import Entry
    from movelot.lots.models import Lot

    call_command("collectstatic", interactive=False, clear=True, verbosity=0)
    person = User.objects.get()
    person.set_password(PASSWORD)
    person.save()
    moment = now()
    Entry.objects.bulk_create(
        Entry(
            at=moment,
            who=PERSON,
            role="virtualization",
            address="127.0.0.1",
            what="attach drafts change",
            subject=f"lot {n}",
            before={"size": f"{n} GiB"},
            after={"size": f"{n + 1} GiB"},
            previous="",
            digest=f"bench-{n}",
        )
        for n in range(ENTRIES)
    )
    return int(Lot.objects.order_by("-pk").values_list("pk", flat=True)[0])


def _sign_in(page: Page) -> None:
    page.goto(URL)
    page.get_by_label("Name").fill(PERSON)
    page.get_by_label("Password").fill(PASSWORD)
    page.get_by_role("button", name="Sign in").click()
    page.get_by_role("heading", name="Rounds").wait_for()


def _usable(page: Page, path: str, shown: str) -> float:
    """Milliseconds from asking for the page until it shows what it is for and answers to the next frame."""
    page.goto("about:blank")
    page.goto(URL + path, wait_until="commit")
    page.wait_for_selector(shown, state="attached")
    # Two frames later whatever was being drawn is, and keys are answered.
    return float(
        page.evaluate(
            "new Promise(done => requestAnimationFrame(() => requestAnimationFrame(() => done(performance.now()))))"
        )
    )


SCROLLER = """() => {
  const all = [...document.querySelectorAll('main, main *')].filter(
    each => each.scrollHeight > each.clientHeight + 200 && /auto|scroll/.test(getComputedStyle(each).overflowY));
  const most = all.sort((a, b) => b.scrollHeight - a.scrollHeight)[0];
  if (!most) return null;
  const box = most.getBoundingClientRect();
  return [box.x + box.width / 2, Math.min(box.y + box.height / 2, innerHeight - 20)];
}"""
WATCH = """() => {
  window.frames_ = []; let last = performance.now(); window.watching_ = true;
  const tick = now => {
    window.frames_.push(now - last); last = now;
    if (window.watching_) requestAnimationFrame(tick);
  };
  requestAnimationFrame(tick);
}"""


def _longest_frame(page: Page) -> float:
    """The longest time between two frames while what scrolls is scrolled by the wheel; 0 where nothing does."""
    at = page.evaluate(SCROLLER)
    if at is None:
        return 0.0
    page.mouse.move(*at)
    page.evaluate(WATCH)
    for _ in range(WHEELS):
        page.mouse.wheel(0, 240)
        page.wait_for_timeout(16)
    return float(page.evaluate("(window.watching_ = false, Math.max(...window.frames_.slice(2)))"))


def _memory(page: Page) -> None:
    """Memory after updates of Rounds and Balance, each as many as come in ten minutes."""
    revision = 0

    def changed(route: Route) -> None:
        nonlocal revision
        revision += 1
        answer = route.fetch()
        route.fulfill(json={**answer.json(), "revision": str(revision)})

    page.route("**/api/status/", changed)
    page.clock.install()
    for name in ("Rounds", "Balance"):
        path, shown = PAGES[name]
        page.goto(URL + path)
        page.wait_for_selector(shown, state="attached")
        _updates(page, 10)
        before = _heap_mb(page)
        _updates(page, UPDATES)
        print(f"{name}: {before:.1f} MB after 10 updates, {_heap_mb(page):.1f} MB after {UPDATES} more (ten minutes)")


def _updates(page: Page, count: int) -> None:
    for _ in range(count):
        page.clock.run_for(5000)
        page.wait_for_load_state("networkidle")


def _heap_mb(page: Page) -> float:
    session: Any = page.context.new_cdp_session(page)
    session.send("HeapProfiler.collectGarbage")
    return float(session.send("Runtime.getHeapUsage")["usedSize"]) / 1e6


if __name__ == "__main__":
    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "movelot.settings")
    os.environ.setdefault("MOVELOT_DB_NAME", "movelot_bench")
    os.environ.setdefault("MOVELOT_REDIS_DB", "13")
    from bench import pages

    pages.report()
    report()
