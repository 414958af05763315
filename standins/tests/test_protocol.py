"""The standards body's protocol validator against an array and a host."""

from __future__ import annotations

import csv
import os
import subprocess
import sys
from pathlib import Path

import pytest

from conftest import StandIns


@pytest.mark.parametrize("device", ["granite", "quay-01"])
def test_the_protocol_validator_finds_nothing(standins: StandIns, tmp_path: Path, device: str) -> None:
    card = standins.cards[device]
    validator = Path(sys.executable).parent / "rf_protocol_validator"
    account = ["-r", card["url"], "-u", card["user"], "-p", card["password"], "--no-cert-check"]
    report = ["--report-dir", str(tmp_path), "--report-type", "tsv"]
    # A bundle named in the environment would be used in spite of --no-cert-check.
    env = {name: value for name, value in os.environ.items() if name not in ("REQUESTS_CA_BUNDLE", "CURL_CA_BUNDLE")}
    command = [str(validator), *account, *report]
    run = subprocess.run(command, env=env, capture_output=True, text=True, timeout=120, check=False)
    reports = list(tmp_path.glob("*.tsv"))
    assert reports, (run.stdout + run.stderr)[-2000:]
    with reports[0].open() as file:
        rows = [row for row in csv.reader(file, delimiter="\t") if len(row) > 4]
    failed = {row[0] for row in rows if row[4] == "FAIL"}
    passed = sum(row[4] == "PASS" for row in rows)
    assert not failed, [row[:6] for row in rows if row[4] == "FAIL"]
    assert passed > 120
