"""A group as a file (NumPy's .npz), so that what a planner made of it can be made again elsewhere."""

from __future__ import annotations

import io
import json
from dataclasses import asdict, fields
from pathlib import Path
from typing import Any

import numpy as np

from movelot_core.balance.group import Group, Ints
from movelot_core.balance.rules import Bond, Split
from movelot_core.latency import ServiceCurve


def dumped(group: Group, out: Ints) -> bytes:
    """The group and the disks that are ``out``; names of disks, datastores, pools and arrays are numbered instead.

    A dump leaves the house with a report: what is called what is nobody's business there.
    """
    arrays = {each.name: getattr(group, each.name) for each in fields(group)}
    told: dict[str, Any] = {name: value for name, value in arrays.items() if isinstance(value, np.ndarray)}
    rest = {
        "curves": [asdict(curve) for curve in group.curves],
        "array_of": [int(n) for n in np.unique(np.array(group.array_of), return_inverse=True)[1]],
        "fill_ceiling": group.fill_ceiling,
        "latency_ceiling_ms": group.latency_ceiling_ms,
        "load_share": group.load_share,
        "splits": [(each.disks, each.sites) for each in group.splits],
        "bonds": [each.disks for each in group.bonds],
    }
    target = io.BytesIO()
    np.savez_compressed(target, out=out, rest=np.array(json.dumps(rest)), **told)
    return target.getvalue()


def read(path: Path) -> tuple[Group, Ints]:
    """The group of a dump and the disks that are out. Raises what ``numpy.load`` does for any other file."""
    with np.load(path) as stored:
        told = {name: stored[name] for name in stored.files}
    rest, out = json.loads(str(told.pop("rest"))), told.pop("out")
    curves = tuple(_curve(each) for each in rest["curves"])
    disks, stores = told["reach"].shape
    group = Group(
        disks=tuple(f"disk-{n}" for n in range(disks)),
        datastores=tuple(f"datastore-{n}" for n in range(stores)),
        pools=tuple(f"pool-{n}" for n in range(len(curves))),
        curves=curves,
        array_of=tuple(f"array-{n}" for n in rest["array_of"]),
        fill_ceiling=rest["fill_ceiling"],
        latency_ceiling_ms=rest["latency_ceiling_ms"],
        load_share=rest.get("load_share", 1.0),
        splits=tuple(Split(f"split-{n}", tuple(d), tuple(s)) for n, (d, s) in enumerate(rest.get("splits", []))),
        bonds=tuple(Bond(f"bond-{n}", tuple(d)) for n, d in enumerate(rest.get("bonds", []))),
        **told,
    )
    return group, out


def _curve(told: dict[str, object]) -> ServiceCurve:
    knots = told.get("knots") or ()
    return ServiceCurve(**{**told, "knots": tuple(tuple(each) for each in knots)})  # type: ignore[arg-type, attr-defined]
