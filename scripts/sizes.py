"""Holds files and functions small. Exits with 1 after naming each that is too long."""

from __future__ import annotations

import ast
import sys
from collections.abc import Iterator
from pathlib import Path

ROOT = Path(__file__).resolve().parents[1]
ROOMS = ("core", "server", "standins", "bench", "scripts", "e2e")
FILE_LINES, TEST_FILE_LINES, FUNCTION_LINES = 500, 800, 60


def too_long(file: Path) -> Iterator[str]:
    """What is too long in a file: itself, or one of its functions. Tests may be longer, and so may their functions."""
    text = file.read_text()
    lines, name = len(text.splitlines()), file.relative_to(ROOT)
    is_test = "tests" in file.parts or file.name == "conftest.py"
    most = TEST_FILE_LINES if is_test else FILE_LINES
    if lines > most:
        yield f"{name}: {lines} lines, at most {most}"
    for node in () if is_test else ast.walk(ast.parse(text)):
        if isinstance(node, ast.FunctionDef | ast.AsyncFunctionDef):
            lines = (node.end_lineno or node.lineno) - node.lineno + 1
            if lines > FUNCTION_LINES:
                yield f"{name}:{node.lineno}: {node.name} has {lines} lines, at most {FUNCTION_LINES}"


def main() -> int:
    """Name all that is too long."""
    files = (file for room in ROOMS for file in sorted((ROOT / room).rglob("*.py")) if "migrations" not in file.parts)
    found = [line for file in files for line in too_long(file)]
    print("\n".join(found) or "No file or function is too long.")
    return 1 if found else 0


if __name__ == "__main__":
    sys.exit(main())
