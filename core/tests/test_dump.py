"""A group comes back from its file as it was, without the names of what is in it."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import numpy as np

from bench.instances import family
from movelot_core.balance.clear import clear
from movelot_core.balance.dump import dumped, read


def test_a_dumped_group_gives_the_same_plan_and_tells_no_names(tmp_path: Path) -> None:
    group = family("rules", 1, 40, 5, 2)
    curved = replace(group.curves[0], knots=((0.0, 1.0), (group.curves[0].x_max, 9.0)))
    group = replace(group, disks=tuple(f"secret-{n}" for n in range(40)), curves=(curved, *group.curves[1:]))
    out = np.array([3, 7])
    file = tmp_path / "group.npz"
    file.write_bytes(dumped(group, out))
    again, again_out = read(file)
    assert again.curves == group.curves
    assert again_out.tolist() == [3, 7]
    assert (clear(again, again_out).place == clear(group, out).place).all()
    assert b"secret" not in file.read_bytes()
    assert not any("secret" in name for name in again.disks)
