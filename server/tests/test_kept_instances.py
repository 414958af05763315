"""What a planner did wrong is kept with the group it did it on."""

from __future__ import annotations

import logging
from pathlib import Path
from typing import Any

import numpy as np
import pytest

from core.tests.builders import small
from movelot.balance import kept_instances
from movelot_core.balance import exact
from movelot_core.balance.clear import clear
from movelot_core.balance.dump import read


def test_the_group_of_a_plan_that_broke_a_must_is_kept(
    monkeypatch: pytest.MonkeyPatch, settings: Any, tmp_path: Path
) -> None:
    settings.RUN = tmp_path
    group = small([95, 10], [0, 1], [100, 100, 200])
    wrong = exact.Exact(np.array([1, 1]), 0.0)
    monkeypatch.setattr(exact, "solve", lambda group, *rest: wrong)
    clear(group)
    kept = list((tmp_path / "instances").iterdir())
    assert len(kept) == 1
    found, out = read(kept[0])
    assert (found.size_bytes == group.size_bytes).all()
    assert not out.size


def test_no_more_than_some_are_kept_and_other_records_keep_nothing(settings: Any, tmp_path: Path) -> None:
    settings.RUN = tmp_path
    handler = kept_instances.KeepInstances()
    for n in range(kept_instances.KEPT_MAX + 5):
        record = logging.makeLogRecord({"msg": "wrong", "instance": bytes([n])})
        handler.emit(record)
    handler.emit(logging.makeLogRecord({"msg": "something else"}))
    assert len(list((tmp_path / "instances").iterdir())) == kept_instances.KEPT_MAX
