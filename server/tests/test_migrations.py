"""The database of an older release, brought up to date: nothing that was stored or decided is lost.

``data/release-0.1-small.sql`` is the small demo as it was before things became durable, with labels on things that
are there and on some that no reading names any more, a pin, grants, a lot that ran and drafts.
"""

from __future__ import annotations

import json
import os
import subprocess
import sys
from collections.abc import Iterator
from pathlib import Path

import numpy as np
import pytest
from django.conf import settings
from django.db import connection

from conftest import ROOT, WORKER
from movelot.inventory.capabilities import DISK_LIMITS, LABELS, LINKED_CLONES
from movelot.lots.documents import dumped, form_of, read
from movelot.lots.kinds import REGISTRY
from movelot.lots.steps import KINDS

DUMP = Path(__file__).parent / "data" / "release-0.1-small.sql"
NAME = f"test_movelot_older_{WORKER}"


def sql(statement: str, database: str = NAME) -> list[tuple[str, ...]]:
    """What a statement gives in the older database, as text."""
    done = _client(database, statement.encode())
    return [tuple(line.split("\t")) for line in done.decode().splitlines()]


def _client(database: str, text: bytes) -> bytes:
    account = connection.settings_dict
    command = ["mariadb", "--no-defaults", "-h127.0.0.1", f"-P{account['PORT']}", f"-u{account['USER']}", "-N", "-B"]
    environment = {**os.environ, "MYSQL_PWD": account["PASSWORD"]}
    done = subprocess.run([*command, database], input=text, env=environment, capture_output=True, check=False)
    assert done.returncode == 0, done.stderr.decode()
    return done.stdout


@pytest.fixture(scope="module")
def migrated(services: None) -> Iterator[dict[str, int]]:
    """Counts from before; the database itself is brought up to date by the command that an upgrade runs."""
    with_none = ""
    sql(f"DROP DATABASE IF EXISTS {NAME}; CREATE DATABASE {NAME} CHARACTER SET utf8mb4", with_none)
    _client(NAME, DUMP.read_bytes())
    tables = ("machine", "disk", "datastore", "volume", "pool", "device", "grant", "label", "diskhour", "poolhour")
    before = {table: int(sql(f"SELECT COUNT(*) FROM inventory_{table}")[0][0]) for table in tables}
    done = subprocess.run(
        [sys.executable, str(ROOT / "server" / "manage.py"), "migrate", "--verbosity", "0"],
        env={**os.environ, "PYTHONPATH": "core:server", "MOVELOT_DB_NAME": NAME, "MOVELOT_RUN": str(settings.RUN)},
        cwd=ROOT,
        capture_output=True,
        text=True,
        check=False,
    )
    assert done.returncode == 0, done.stderr
    yield before
    sql(f"DROP DATABASE {NAME}", with_none)


def count(query: str) -> int:
    return int(sql(f"SELECT COUNT(*) FROM {query}")[0][0])


def test_nothing_is_lost(migrated: dict[str, int]) -> None:
    for table in ("volume", "grant", "poolhour"):
        assert count(f"inventory_{table}") == migrated[table], table
    for table in ("machine", "disk", "datastore", "pool", "device"):
        assert count(f"inventory_{table} WHERE gone_at IS NULL") == migrated[table], table
    assert count("inventory_label") == migrated["label"]


def test_hours_are_days_now_and_none_is_missing(migrated: dict[str, int]) -> None:
    rows = sql("SELECT HEX(loads) FROM inventory_diskday")
    loads = np.frombuffer(bytes.fromhex("".join(row[0] for row in rows)), dtype=np.float32)
    assert int((~np.isnan(loads)).sum()) == 3 * migrated["diskhour"]
    assert count("inventory_poolhour WHERE `reads` IS NOT NULL") > 0
    assert count("inventory_poolhour WHERE `reads` IS NOT NULL AND write_sizes IS NULL") == 0


def test_everything_is_placed(migrated: dict[str, int]) -> None:
    assert count("inventory_machineplacement") == migrated["machine"]
    assert count("inventory_diskplacement") == migrated["disk"]
    assert count("inventory_groupmember") == migrated["datastore"]
    ends = sql(
        "SELECT m.name, h.name, s.name FROM inventory_disk d JOIN inventory_machine m ON m.id = d.machine_id "
        "JOIN inventory_machineplacement p ON p.machine_id = m.id JOIN inventory_device h ON h.id = p.host_id "
        "JOIN inventory_diskplacement q ON q.disk_id = d.id JOIN inventory_datastore s ON s.id = q.datastore_id "
        "WHERE d.pinned"
    )
    assert ends == [("berth-plan-db", "quay-01", "berth-a")]


def test_labels_hang_on_their_things_even_on_those_that_were_gone(migrated: dict[str, int]) -> None:
    rows = sql(
        "SELECT t.model, l.`key`, l.value, COALESCE(m.name, p.name, s.name, d.name), "
        "COALESCE(m.gone_at, p.gone_at, s.gone_at, d.gone_at) IS NOT NULL "
        "FROM inventory_label l JOIN django_content_type t ON t.id = l.content_type_id "
        "LEFT JOIN inventory_machine m ON t.model = 'machine' AND m.id = l.object_id "
        "LEFT JOIN inventory_pool p ON t.model = 'pool' AND p.id = l.object_id "
        "LEFT JOIN inventory_datastore s ON t.model = 'datastore' AND s.id = l.object_id "
        "LEFT JOIN inventory_disk d ON t.model = 'disk' AND d.id = l.object_id ORDER BY 1, 2, 4"
    )
    assert [row for row in rows if row[0] != "disk"] == [
        ("datastore", "team", "berths", "berth-a", "0"),
        ("datastore", "team", "berths", "ds-gone", "1"),
        ("datastore", "tier", "gold", "berth-a", "0"),
        ("machine", "team", "wages", "old-payroll", "1"),
        ("machine", "team", "wages", "payroll", "0"),
        ("pool", "media", "flash", "flint-one", "1"),
        ("pool", "media", "flash", "granite-fast", "0"),
    ]
    assert [row[1:3] for row in rows if row[0] == "disk"] == [("keep", "long")]


def test_lots_and_their_steps_are_as_they_were(migrated: dict[str, int]) -> None:
    assert sql("SELECT kind, state FROM lots_lot ORDER BY id") == [
        ("attach", "draft"),
        ("uplinks", "done"),
        ("balance", "draft"),
    ]
    assert count("lots_step WHERE state = 'done'") >= 1


def test_what_devices_can_do_is_rows_by_code(migrated: dict[str, int]) -> None:
    codes = {code for (code,) in sql("SELECT DISTINCT code FROM inventory_capability")}
    # What is told since then no device has told yet.
    assert codes == set(LABELS) - {DISK_LIMITS, LINKED_CLONES}
    assert count("inventory_capability WHERE able AND code = 'own_target'") > 0


def test_every_lot_and_step_that_was_stored_can_still_be_read(migrated: dict[str, int], db: None) -> None:
    """As they stand; names of things that are not there in this database are left as they are."""
    lots = sql("SELECT kind, form, plan, documents_version FROM lots_lot")
    assert lots
    for name, form, plan, version in lots:
        kind = REGISTRY[name]
        upgraded, drafted = kind.upgraded(json.loads(form), json.loads(plan), int(version))
        assert dumped(form_of(kind.form, upgraded))
        assert dumped(read(kind.plan, drafted))
    steps = sql("SELECT kind, params, params_version FROM lots_step")
    assert steps
    for name, params, version in steps:
        step = KINDS[name].read(json.loads(params), int(version))
        assert step.model_dump(mode="json").keys() == KINDS[name].model_fields.keys()
