"""Policies on the large estate: fit of 50 of them with every datastore, all disks judged, and the page.

``python -m bench.policies`` builds the estate by itself.
"""

from __future__ import annotations

import json
import os
import time
from collections.abc import Callable

POLICIES = 50
TIMES = 5


def report() -> None:
    """Figures on the estate that ``bench.pages`` has built in this database."""
    from rest_framework.test import APIClient

    from movelot.accounts.models import User
    from movelot.findings.judging import judge_due
    from movelot.inventory.changes import people_said
    from movelot.inventory.models import Cluster, Datastore, Disk, GivenPolicy, Machine, Policy
    from movelot.placement.kept_places import kept_places
    from movelot.placement.places import places
    from movelot.placement.policies import fits_of, policies_had, policies_in_force

    _make()
    clusters = list(Cluster.objects.order_by("pk"))
    rows = list(Policy.objects.order_by("pk"))
    for cluster, policy in zip(clusters, rows, strict=False):
        GivenPolicy.objects.update_or_create(cluster=cluster, defaults={"policy": policy, "by": "bench"})
    machines = Machine.objects.order_by("pk")[:1000]
    GivenPolicy.objects.bulk_create(
        GivenPolicy(machine=machine, policy=rows[n % POLICIES], by="bench") for n, machine in enumerate(machines)
    )
    people_said("policy", 0)
    judge_due()
    counts = f"{Disk.objects.count():,} disks × {Datastore.objects.count()} datastores × {POLICIES} policies"
    facts = {place.facts.key: place.facts for place in kept_places()}
    asked = policies_in_force()
    print(f"policies: {counts}")
    print(f"  places told anew {_slowest(places):.0f} ms")
    print(f"  fit of all {_slowest(lambda: [fits_of(each.asked, facts) for each in asked]):.0f} ms (aim 500)")
    print(f"  which policy each disk has {_slowest(policies_had):.0f} ms")
    print(f"  judged whole {_slowest(lambda: (people_said('policy', 0), judge_due())):.0f} ms")
    client = APIClient(SERVER_NAME="127.0.0.1")
    client.force_authenticate(User.objects.order_by("pk").first())
    print(f"  the board {_slowest(lambda: client.get('/api/policies/')):.0f} ms")
    asked_for = {"policy": rows[0].pk, "requirements": json.dumps([{"kind": "media", "value": "HDD"}])}
    effect = _slowest(lambda: client.get("/api/policies/effect/", asked_for))
    print(f"  what a change would do {effect:.0f} ms (aim 1,000)")


def _make() -> None:
    from movelot.inventory.models import GivenPolicy, Policy, PolicyVersion

    GivenPolicy.objects.all().delete()
    Policy.objects.all().delete()
    for n in range(POLICIES):
        policy = Policy.objects.create(name=f"policy {n:02}")
        asked = [
            {"kind": "media", "value": "SSD" if n % 2 else "HDD"},
            {"kind": "paths", "value": 1 + n % 4},
            {"kind": "peak_ms", "value": 5 + n},
            {"kind": "may_lose", "value": 1 + n % 2},
            {"kind": "no_label", "value": f"closed=x{n}"},
        ]
        PolicyVersion.objects.create(policy=policy, number=1, requirements=asked, by="bench")


def _slowest(act: Callable[[], object]) -> float:
    """Milliseconds of the slowest of some times."""
    took = []
    for _ in range(TIMES):
        start = time.perf_counter()
        act()
        took.append(1000 * (time.perf_counter() - start))
    return max(took)


if __name__ == "__main__":
    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "movelot.settings")
    os.environ.setdefault("MOVELOT_DB_NAME", "movelot_bench")
    os.environ.setdefault("MOVELOT_REDIS_DB", "13")
    from bench import pages

    pages.report()
    report()
