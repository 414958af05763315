"""People, as an administrator keeps them: invited by a link, let in, kept out; nobody else sees their pages."""

from __future__ import annotations

from axe_playwright_python.sync_playwright import Axe
from playwright.sync_api import Page, expect

from e2e.conftest import URL, Stack, sign_in

NEW = "a password of her own"


def serious(page: Page) -> list[str]:
    found = Axe().run(page).response["violations"]
    return [each["id"] for each in found if each["impact"] in ("serious", "critical")]


def test_somebody_is_let_in_and_kept_out_again(page: Page, fresh: Stack) -> None:
    sign_in(page, fresh, "una.keel")
    page.get_by_role("button", name="Account una.keel").click()
    page.get_by_role("menuitem", name="People").click()
    page.get_by_label("Name, as ines.marrow").fill("noor.quill")
    page.get_by_role("button", name="Make a link for them").click()
    link = page.get_by_text("/welcome#")
    expect(link).to_be_visible()
    assert serious(page) == []
    hers = page.context.browser.new_context().new_page()  # type: ignore[union-attr]
    hers.goto(link.inner_text().strip())
    hers.get_by_label("Password").fill(NEW)
    hers.get_by_label("The same again").fill(NEW)
    assert serious(hers) == []
    hers.get_by_role("button", name="Set it and sign in").click()
    expect(hers.get_by_role("heading", name="Rounds")).to_be_visible()
    assert hers.url == f"{URL}/"
    # Reads only, and sees nothing of people.
    hers.goto(f"{URL}/people")
    expect(hers.get_by_text("This is for administrators.")).to_be_visible()
    page.get_by_role("button", name="Keep out noor.quill").click()
    page.get_by_role("button", name="Keep them out").click()
    expect(page.get_by_role("row").filter(has_text="noor.quill")).to_contain_text("kept out")
    expect(hers.get_by_role("heading", name="Sign in to Move Lot")).to_be_visible(timeout=60_000)
    for address in ("/settings", "/account"):
        page.goto(address)
        expect(page.get_by_role("table").first).to_be_visible()
        assert serious(page) == []
    hers.context.close()
