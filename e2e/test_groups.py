"""Groups in the browser: made of what is ticked, renamed, retired; nothing is lost on the way."""

from __future__ import annotations

import re

from playwright.sync_api import Page, expect

from e2e.conftest import Stack


def test_a_group_is_made_renamed_and_retired(ines: Page, fresh: Stack) -> None:
    ines.goto("/balance/quayside")
    ines.get_by_role("navigation", name="Beside this page").get_by_role("link", name="Groups").click()
    quayside = ines.get_by_role("region", name="Group quayside")
    expect(quayside).to_contain_text("3 parts that trade apart")
    expect(quayside).to_contain_text("No cluster has berth-f on all its hosts")

    form = ines.get_by_role("form", name="New group")
    form.get_by_label("Name").fill("archive ring")
    form.get_by_role("textbox", name="Datastores").fill("basalt")
    form.get_by_role("checkbox", name=re.compile("^slate-04")).check()
    form.get_by_role("checkbox", name=re.compile("^slate-05")).check()
    effect = ines.get_by_role("status", name="What it would be")
    expect(effect).to_contain_text("slate-04, slate-05 leave quayside for the new group.")
    expect(effect).to_contain_text("2 datastores on volumes")
    form.get_by_role("button", name="Make the group").click()
    made = ines.get_by_role("region", name="Group archive ring")
    expect(made).to_contain_text("slate-05")
    expect(quayside).not_to_contain_text("slate-05")

    ines.get_by_role("button", name="Change archive ring").click()
    form = ines.get_by_role("form", name="Change archive ring")
    form.get_by_label("Name").fill("slate ring")
    form.get_by_role("button", name="Store the change").click()
    renamed = ines.get_by_role("region", name="Group slate ring")
    expect(renamed).to_be_visible()
    # Its board is there once it is judged, by the old name too.
    ines.goto("/balance/archive%20ring")
    expect(ines.get_by_text("2 datastores", exact=False).first).to_be_visible(timeout=60_000)

    ines.goto("/balance/groups")
    ines.get_by_role("button", name="Empty a datastore of slate ring").click()
    ines.get_by_role("button", name="Hold it empty").click()
    held = ines.get_by_role("group", name="slate-04 is held empty")
    expect(held).to_contain_text("is held empty by ines.marrow")
    held.get_by_role("link", name="See the plan").click()
    ines.get_by_role("button", name="Draft lot").click()
    expect(ines.get_by_role("heading", name=re.compile("Group slate ring"))).to_be_visible()
    expect(ines.get_by_role("table", name="Moves of slate ring")).to_contain_text("slate-04 → slate-05")

    ines.goto("/balance/groups")
    ines.get_by_role("button", name="Release slate-04").click()
    expect(held).to_have_count(0)
    ines.get_by_role("button", name="Retire slate ring").click()
    ines.get_by_role("button", name="Retire it").click()
    expect(renamed).to_have_count(0)
    expect(ines.get_by_role("region", name="In no group")).to_contain_text("slate-04, slate-05")
