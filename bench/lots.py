"""Lots at scale: graphs of thousands of steps scheduled, and a volume attached to 400 hosts."""

from __future__ import annotations

import time

import numpy as np

from movelot_core.lots import StepGraph, StepNode

COUNTS = (2_000, 20_000)
CALLS = 20


def _graphs(count: int) -> dict[str, StepGraph]:
    """Graphs of the shapes that lots have: side by side, all on one device, one after the other, copies of disks."""
    names = [str(n) for n in range(count)]
    stores = {f"store-{n}": 2 for n in range(200)}
    return {
        "side by side": StepGraph(tuple(StepNode(name, f"host-{n % 400}") for n, name in enumerate(names))),
        "on one device": StepGraph(tuple(StepNode(name, "array") for name in names)),
        "one by one": StepGraph(
            tuple(
                StepNode(name, f"host-{n % 40}", 1.0, frozenset(names[n - 1 : n] if n else ()))
                for n, name in enumerate(names)
            )
        ),
        "copies": StepGraph(
            tuple(
                StepNode(name, f"host-{n % 400}", 1 + n % 7, frozenset(), (f"store-{n % 200}", f"store-{n * 7 % 200}"))
                for n, name in enumerate(names)
            ),
            stores,
        ),
    }


def schedules() -> None:
    """Seconds that a list schedule takes."""
    print(f"{'steps':>8} {'shape':14} {'seconds':>8}")
    for count in COUNTS:
        for shape, graph in _graphs(count).items():
            start = time.perf_counter()
            graph.schedule()
            print(f"{count:>8,} {shape:14} {time.perf_counter() - start:>8.2f}")


def attach_to_all(client: object, user: object) -> None:
    """A volume for all hosts of the large estate: drafted, looked at, typed on."""
    from movelot.inventory.models import Grant, Pool
    from movelot.lots.drafting import new_draft, redraft

    Grant.objects.bulk_create([Grant(pool=pool, granted_by="tobias.wren") for pool in Pool.objects.all()])
    seconds = []
    # The second finds what the first computed of this reading.
    for name in ("berth-new", "berth-newer"):
        start = time.perf_counter()
        form = {"cluster": "quayside", "name": name, "size": "1 TiB"}
        lot = new_draft("attach", form, user)  # type: ignore[arg-type]
        seconds.append(time.perf_counter() - start)
    times = []
    for _ in range(CALLS):
        start = time.perf_counter()
        answer = client.get(f"/api/lots/{lot.pk}/")  # type: ignore[attr-defined]
        times.append((time.perf_counter() - start) * 1000)
        assert answer.status_code == 200, answer.content
    start = time.perf_counter()
    redraft(lot)
    again = time.perf_counter() - start
    hosts = len({step.device_id for step in lot.steps.all()}) - 1
    print(
        f"a volume for {hosts} hosts, {lot.steps.count():,} steps: drafted first {seconds[0]:.2f} s, "
        f"then {seconds[1]:.2f} s, typed on {again:.2f} s, page p95 {np.percentile(times, 95):.0f} ms"
    )
