"""An estate without devices: brought in with errors, then clean; its lots end as run sheets."""

from __future__ import annotations

import csv
import io
import re
import zipfile
from pathlib import Path

from playwright.sync_api import Page, expect

from e2e.conftest import Caller, Stack
from e2e.test_journeys import tray

# The demo's estate under other names, as its devices are linked.
RENAMED = (
    ("quay", "yard"),
    ("gate-0", "lock-0"),
    ("gatehouse", "lockhouse"),
    ("light-0", "lamp-0"),
    ("lightvessel", "lampvessel"),
    ("granite", "flint"),
    ("basalt", "gabbro"),
    ("shale", "chert"),
    ("chalk", "gypsum"),
    ("berth-", "shoal-"),
    ("sand-", "dune-"),
    ("slate-", "scree-"),
    ("6002600000004b42", "6002600000004b43"),
    ("4b420000-", "4b430000-"),
    ("ds-0", "dx-0"),
    ("nfs-", "nfx-"),
)


def renamed(content: bytes, spoil: bool = False) -> bytes:
    """The package under other names; with one size that is none if it is to be spoiled."""
    out = io.BytesIO()
    with zipfile.ZipFile(io.BytesIO(content)) as old, zipfile.ZipFile(out, "w") as new:
        for name in old.namelist():
            text = old.read(name).decode()
            for before, after in RENAMED:
                text = text.replace(before, after)
            if name in ("disks.csv", "loads.csv", "machines.csv"):
                head, *rows = list(csv.reader(io.StringIO(text)))
                known_by = head.index("identity") if "identity" in head else 0
                rows = [[*row[:known_by], f"y-{row[known_by]}", *row[known_by + 1 :]] for row in rows]
                if spoil and name == "disks.csv":
                    rows[4][head.index("size_bytes")] = "760 GiB"
                written = io.StringIO()
                csv.writer(written).writerows([head, *rows])
                text = written.getvalue()
            new.writestr(name, text)
    return out.getvalue()


def test_an_estate_is_imported_with_errors_then_clean_and_balanced_on_paper(
    ines: Page, fresh: Stack, caller: Caller, tmp_path: Path
) -> None:
    ines.goto("/devices")
    with ines.expect_download() as taken:
        ines.get_by_role("button", name="Take the estate out").click()
    content = taken.value.path().read_bytes()
    wrong, right = tmp_path / "wrong.zip", tmp_path / "right.zip"
    wrong.write_bytes(renamed(content, spoil=True))
    right.write_bytes(renamed(content))
    ines.goto("/devices")
    ines.get_by_label("Package to import").set_input_files(wrong)
    row = ines.get_by_role("table", name="What is wrong").get_by_role("row", name=re.compile("disks.csv"))
    expect(row.first).to_contain_text("760 GiB")
    expect(row.first).to_contain_text("a whole number of at least 0")
    expect(ines.get_by_role("button", name="Import", exact=True)).to_have_count(0)
    ines.get_by_label("Package to import").set_input_files(right)
    expect(ines.get_by_text("Nothing is wrong. It holds")).to_be_visible()
    ines.get_by_role("button", name="Import", exact=True).click()
    expect(ines.get_by_role("table", name="Device links")).to_contain_text("known from a file")
    ines.goto("/balance/yardside")
    ines.get_by_role("button", name="Draft lot").click()
    expect(tray(ines)).to_contain_text("people carry it out by its run sheet")
    tray(ines).get_by_role("button", name="Make run sheet").click()
    with ines.expect_download() as download:
        tray(ines).get_by_role("link", name="Markdown").click()
    sheet = download.value.path().read_text()
    assert re.search(r"- \[ \] \*\*1\. Move .* on yard-0\d", sheet)
    tray(ines).get_by_role("button", name="Carried out").click()
    expect(tray(ines)).to_contain_text("done")
