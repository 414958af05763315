"""Script that the browser loads before Rounds shows, gzipped, by the manifest of the build; fails above the limit."""

from __future__ import annotations

import gzip
import json
import sys
from pathlib import Path

DIST = Path(__file__).resolve().parents[1] / "web" / "dist"
LIMIT_BYTES = 250_000
FIRST = ("index.html", "src/rounds/RoundsPage.tsx")


def first_load() -> int:
    """What the entry and the first page import, each once."""
    manifest = json.loads((DIST / ".vite" / "manifest.json").read_text())
    seen: set[str] = set()
    open_ones = list(FIRST)
    while open_ones:
        name = open_ones.pop()
        if name not in seen:
            seen.add(name)
            open_ones += manifest[name].get("imports", [])
    return sum(len(gzip.compress((DIST / manifest[name]["file"]).read_bytes())) for name in seen)


if __name__ == "__main__":
    found = first_load()
    print(f"first load: {found / 1000:.0f} kB of script, gzipped (limit {LIMIT_BYTES / 1000:.0f} kB)")
    sys.exit(found > LIMIT_BYTES)
