"""How far lots take as long as they were said to: 30 lots of different kinds, one after the other, on stand-ins.

Each is drafted with what the lots before it taught, then run by the driver itself; the error is of the whole lot.
"""

from __future__ import annotations

import os
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import numpy as np

from bench.sites import fresh_site

LOTS = 30
# Devices work this many times faster than the demo's, so that thirty lots take a minute or two.
PACE = 20.0


def report() -> None:
    with fresh_site(pace=PACE) as standins:
        link_all(standins)
        rows = [timed_lot(kind, form) for kind, form in _lots()]
    errors = np.array([abs(said - took) / took for _, said, took in rows])
    print(f"{len(rows)} lots, estimated beside real: median error {np.median(errors):.0%}, ", end="")
    print(f"first ten {np.median(errors[:10]):.0%}, last ten {np.median(errors[-10:]):.0%}, worst {errors.max():.0%}")
    for kind in dict.fromkeys(kind for kind, _, _ in rows):
        mine = [(said, took) for each, said, took in rows if each == kind]
        print(f"  {kind:12} " + "  ".join(f"{said:.1f}/{took:.1f}" for said, took in mine) + " s")


def link_all(standins: Any) -> None:
    """Link all stand-ins, grant all pools, and let ines in."""
    from movelot.accounts.models import Role, User
    from movelot.devices.certificate import fingerprint_of
    from movelot.devices.linking import link
    from movelot.devices.models import AllowedNetwork
    from movelot.inventory.models import Grant, Pool

    AllowedNetwork.objects.create(cidr="127.0.0.0/8")
    for card in standins.cards.values():
        link(card["url"], card["user"], card["password"], fingerprint_of(Path(card["certificate"]).read_text()))
    Grant.objects.bulk_create([Grant(pool=pool, granted_by="tobias.wren") for pool in Pool.objects.all()])
    User.objects.create_user("ines.marrow", password=os.urandom(12).hex(), role=Role.VIRTUALIZATION)


def _lots() -> Iterator[tuple[str, dict[str, Any]]]:
    """Thirty lots that each find something to do: volumes attached, detached, deleted; settings changed to and fro."""
    from movelot.inventory.models import Volume

    yield "uplinks", {"host": "quay-03"}
    for n in range((LOTS - 1) // 4 + 1):
        name = f"berth-b{n}"
        yield "attach", {"cluster": "quayside", "name": name, "size": "1 TiB"}
        volume = Volume.objects.get(name=name).pk
        yield "device_settings", {"setting": "queue_depth", "value": 50 + n, "filter": {"text": name}}
        yield "detach", {"volume": volume, "keep": True}
        if n < (LOTS - 1) // 4:
            yield "detach", {"volume": volume, "confirm": name}


def timed_lot(kind: str, form: dict[str, Any]) -> tuple[str, float, float]:
    """Seconds that a lot was said to take, and took."""
    from movelot.accounts.models import User
    from movelot.lots.drafting import new_draft
    from movelot.lots.models import Lot
    from movelot.lots.runner import Driver

    lot = new_draft(kind, form, User.objects.get())
    said = max(step.planned_end for step in lot.steps.all())
    Lot.objects.filter(pk=lot.pk).update(state=Lot.State.RUNNING)
    lot.refresh_from_db()
    Driver(lot).run()
    lot.refresh_from_db()
    assert lot.state == Lot.State.DONE, f"{kind}: {[step.problem for step in lot.steps.exclude(problem={})]}"
    began = min(step.started_at for step in lot.steps.all() if step.started_at)
    ended = max(step.ended_at for step in lot.steps.all() if step.ended_at)
    return kind, said, (ended - began).total_seconds()
