"""Rules of construction that a test can hold: schema, sizes of files and functions, the contract of step kinds."""

from __future__ import annotations

import ast
from pathlib import Path

import pytest
from django.core.management import call_command

from movelot.lots.steps import KINDS

ROOT = Path(__file__).resolve().parents[2]
SOURCES = [
    file
    for room in ("core", "server", "standins", "bench", "scripts", "e2e")
    for file in (ROOT / room).rglob("*.py")
    if "migrations" not in file.parts
]


def test_the_committed_schema_is_the_one_the_code_makes(tmp_path: Path) -> None:
    made = tmp_path / "openapi.yaml"
    call_command("spectacular", "--file", str(made), "--validate", "--fail-on-warn")
    assert made.read_text() == (ROOT / "server" / "openapi.yaml").read_text(), "run: make schema"


def test_models_and_migrations_agree(db: None) -> None:
    call_command("makemigrations", "--check", "--dry-run", verbosity=0)


@pytest.mark.parametrize("file", SOURCES, ids=lambda file: str(file.relative_to(ROOT)))
def test_files_and_functions_stay_small(file: Path) -> None:
    text = file.read_text()
    is_test = "tests" in file.parts or file.name == "conftest.py"
    assert len(text.splitlines()) <= (800 if is_test else 500)
    for node in ast.walk(ast.parse(text)):
        if isinstance(node, ast.FunctionDef | ast.AsyncFunctionDef) and not is_test:
            assert (node.end_lineno or 0) - node.lineno < 60, f"{node.name} is too long"


@pytest.mark.parametrize("name", sorted(KINDS))
def test_every_step_kind_keeps_the_contract(name: str) -> None:
    kind = KINDS[name]
    assert kind.name == name
    assert kind.__doc__
    if not kind.reversible:
        assert kind.undo({}, {}) is None
