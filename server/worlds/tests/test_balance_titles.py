"""What a balance lot is called: what a plan clears, or what people moved by hand."""

from __future__ import annotations

import pytest

from movelot.accounts.models import User
from movelot.balance.planning import unresolved_text
from movelot.inventory.models import Datastore, Disk
from movelot.lots.drafting import new_draft
from movelot_core.balance.plan import Unresolved
from server.worlds.tests.world import World

HOSTS = ("quay-1", "quay-2")


@pytest.fixture
def full(world: World) -> World:
    """berth-a is over its ceiling; any of its disks clears it on berth-b."""
    world.array("flint", fast=40)
    for host in HOSTS:
        world.host(host)
    for name, fill in (("berth-a", 0.9), ("berth-b", 0.1)):
        serial = world.volume("flint", "fast", name, 4, HOSTS)
        world.datastore(name, [serial], 4, fill, HOSTS)
    world.machine("ledger", "quay-1", a=("berth-a", 900), b=("berth-a", 900))
    world.read()
    return world


def title(ines: User, moves: list[tuple[str, str]] | None) -> str:
    form: dict[str, object] = {"group": "quayside"}
    if moves is not None:
        form["moves"] = [
            {"disk": Disk.objects.get(name=disk).pk, "target": Datastore.objects.get(name=store).pk}
            for disk, store in moves
        ]
    return new_draft("balance", form, ines).title


def test_a_plan_says_what_it_clears(full: World, ines: User) -> None:
    assert title(ines, None) == "Clear berth-a"


def test_moves_of_people_say_what_they_move(full: World, ines: User) -> None:
    first, second = Disk.objects.order_by("name").values_list("name", flat=True)
    assert title(ines, [(first, "berth-b"), (second, "berth-b")]) == "Move 2 disks in quayside"


def test_one_move_names_its_disk_and_where_it_goes(full: World, ines: User) -> None:
    planned = title(ines, None)
    titles = {title(ines, [(disk.name, "berth-b")]) for disk in Disk.objects.all()}
    # One of the two is what the plan would move as well.
    assert titles <= {planned, *(f"Move {disk.name} to berth-b" for disk in Disk.objects.all())}
    assert any(text.startswith("Move ") for text in titles)


@pytest.mark.parametrize(
    ("kind", "over", "least"),
    [
        ("fill", 1.5 * 1024**4, "It needs 1.50 TiB more room to be clear."),
        ("latency", 0.123, "It needs 13 % less load at its worst hour to be clear."),
        ("latency", 1.0, "It is too slow without any load."),
    ],
)
def test_what_stays_over_says_the_least_that_would_clear_it(kind: str, over: float, least: str) -> None:
    text = unresolved_text(Unresolved(kind, "berth-a", (("pinned", 2),), over))
    assert text.startswith("berth-a stays over its ")
    assert text.endswith(f"ceiling: 2 disks pinned. {least}")
