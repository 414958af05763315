"""Rules of construction that a test can hold: schema, migrations, the contract of step kinds."""

from __future__ import annotations

from pathlib import Path

import pytest
from django.core.management import call_command

from movelot.lots.steps import KINDS

ROOT = Path(__file__).resolve().parents[2]


def test_the_committed_schema_is_the_one_the_code_makes(tmp_path: Path) -> None:
    made = tmp_path / "openapi.yaml"
    call_command("spectacular", "--file", str(made), "--validate", "--fail-on-warn")
    assert made.read_text() == (ROOT / "server" / "openapi.yaml").read_text(), "run: make schema"


def test_models_and_migrations_agree(db: None) -> None:
    call_command("makemigrations", "--check", "--dry-run", verbosity=0)


@pytest.mark.parametrize("name", sorted(KINDS))
def test_every_step_kind_keeps_the_contract(name: str) -> None:
    kind = KINDS[name]
    assert kind.kind == name
    assert kind.__doc__
    assert kind.proof
