"""What may be done with a lot in which state: any order of acts by two people, without devices.

Work itself is stood in for by its end, which the driver alone brings about: here acts are what is looked at.
"""

from __future__ import annotations

import contextlib
from collections.abc import Callable
from typing import Any

import pytest
from django.utils.timezone import now
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from movelot.accounts.models import User
from movelot.inventory.models import Device
from movelot.lots import actions
from movelot.lots.holding import let_go
from movelot.lots.models import Hold, Lot, Step
from movelot.problems import Problem
from server.worlds.tests.world import World

State = Lot.State


@pytest.fixture
def two(world: World, ines: User, monkeypatch: pytest.MonkeyPatch) -> tuple[Lot, Lot]:
    """Two drafts with a step each on the same host; nobody drives them, and checking finds nothing against them."""
    world.host("quay-1")
    world.read()
    monkeypatch.setattr("movelot.lots.tasks.run_lot.delay", lambda key: None)
    monkeypatch.setattr("movelot.lots.actions.reread", lambda devices, progress=None: {})
    monkeypatch.setattr("movelot.lots.actions.check", lambda lot, progress=None: lot)
    monkeypatch.setattr("movelot.lots.actions.redraft", _as_it_is)
    return _draft(ines, 1), _draft(ines, 2)


def _as_it_is(lot: Lot) -> Lot:
    """An undo of a step that acted, without asking the step's kind."""
    target = lot.undoes
    if target and not lot.steps.exists():
        for step in target.steps.all():
            if step.acted:
                _step(lot, step.position, undoes=step.position)
    return lot


def _draft(person: User, number: int) -> Lot:
    lot = Lot.objects.create(kind="uplinks", title=f"lot {number}", created_by=person)
    _step(lot, 0)
    return lot


def _step(lot: Lot, position: int, **more: Any) -> None:
    device = Device.objects.get(name="quay-1")
    Step.objects.create(
        lot=lot,
        position=position,
        key=f"key-{lot.pk}-{position}",
        kind="scan",
        device=device,
        title="Rescan",
        **more,
    )


def _end(lot: Lot, state: str, steps: str) -> None:
    """As the driver ends a lot that is under way."""
    lot.refresh_from_db()
    if lot.active:
        lot.steps.update(state=steps)
        Lot.objects.filter(pk=lot.pk).update(state=state, ended_at=now())
        let_go(lot)


def _known(lot: Lot) -> None:
    """As the schedule does once the device has said that the step was done."""
    if not lot.active and lot.steps.filter(state=Step.State.UNKNOWN).update(state=Step.State.DONE):
        Lot.objects.filter(pk=lot.pk).update(state=State.DONE)
        let_go(lot)


def _undo(lot: Lot) -> Lot | None:
    return lot.undone_by.order_by("pk").first()


def acts_on(lots: tuple[Lot, Lot], ines: User) -> dict[str, Callable[[], object]]:
    """What anybody may try, and what the driver brings about."""
    first, second = lots
    found: dict[str, Callable[[], object]] = {
        "undo first": lambda: actions.undo(Lot.objects.get(pk=first.pk), ines),
        "run second": lambda: actions.run(Lot.objects.get(pk=second.pk)),
        "second is done": lambda: _end(second, State.DONE, Step.State.DONE),
    }

    def on(name: str, which: Callable[[], Lot | None]) -> None:
        def of(act: Callable[[Lot], object]) -> Callable[[], object]:
            return lambda: (lot := which()) and act(lot)

        found[f"run {name}"] = of(lambda lot: actions.run(Lot.objects.get(pk=lot.pk)))
        found[f"halt {name}"] = of(lambda lot: actions.halt(Lot.objects.get(pk=lot.pk)))
        found[f"{name} is done"] = of(lambda lot: _end(lot, State.DONE, Step.State.DONE))
        found[f"{name} fails"] = of(lambda lot: _end(lot, State.FAILED, Step.State.DONE))
        found[f"{name} is halted"] = of(lambda lot: _end(lot, State.HALTED, Step.State.DONE))
        found[f"{name} is cut off"] = of(lambda lot: _end(lot, State.FAILED, Step.State.UNKNOWN))
        found[f"{name} is known"] = of(_known)

    on("first", lambda: Lot.objects.filter(pk=first.pk).first())
    on("the undo", lambda: _undo(first))
    found["drop the undo"] = lambda: (lot := _undo(first)) and actions.drop(lot)
    return found


ACTS = (
    "run first",
    "halt first",
    "first is done",
    "first fails",
    "first is halted",
    "first is cut off",
    "first is known",
    "undo first",
    "run the undo",
    "halt the undo",
    "the undo is done",
    "the undo fails",
    "the undo is halted",
    "the undo is cut off",
    "the undo is known",
    "drop the undo",
    "run second",
    "second is done",
)


@settings(
    max_examples=120, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture, HealthCheck.too_slow]
)
@given(order=st.lists(st.sampled_from(ACTS), min_size=3, max_size=14))
def test_in_whatever_order_people_act_a_lot_and_its_undo_exclude_one_another(
    two: tuple[Lot, Lot], ines: User, order: list[str]
) -> None:
    _begin_anew(two, ines)
    acts = acts_on(two, ines)
    first, second = two
    for name in order:
        before = Lot.objects.get(pk=first.pk).state
        begun = actions.undone_by(first)
        with contextlib.suppress(Problem):
            acts[name]()
        first.refresh_from_db()
        unknown = set(Step.objects.filter(state=Step.State.UNKNOWN).values_list("lot_id", flat=True))
        busy = [lot.pk for lot in Lot.objects.all() if lot.active or lot.pk in unknown]
        # One host: whoever has it has it alone, and who is under way, or has left it unknown, has it.
        assert len(busy) <= 1
        assert list(Hold.objects.values_list("lot_id", flat=True)) == busy
        # Nothing is taken back before it is known.
        assert not (unknown & {first.pk} and (undo := actions.undone_by(first)) and undo.active)
        # What an undo has begun to take back is not taken up again, and is undone by one lot.
        if begun and name == "run first":
            assert first.state == before
        assert first.undone_by.count() <= 1
    assert second.title == "lot 2"


def _begin_anew(two: tuple[Lot, Lot], ines: User) -> None:
    """The two as drafts again, with no undo: examples share a database."""
    Hold.objects.all().delete()
    Lot.objects.filter(undoes__isnull=False).delete()
    for lot in two:
        Lot.objects.filter(pk=lot.pk).update(state=State.DRAFT, started_at=None, ended_at=None)
        lot.steps.update(state=Step.State.WAITING, touched=False)


def test_of_two_lots_on_one_device_the_second_is_refused_by_name(two: tuple[Lot, Lot], ines: User) -> None:
    first, second = two
    actions.run(first)
    with pytest.raises(Problem) as refused:
        actions.run(second)
    assert refused.value.code == "held"
    assert refused.value.title == f"Lot {first.pk} runs on quay-1."
    _end(first, State.DONE, Step.State.DONE)
    assert actions.run(second).state == State.RUNNING


def test_an_undone_lot_does_not_go_on(two: tuple[Lot, Lot], ines: User) -> None:
    first, _ = two
    actions.run(first)
    _end(first, State.HALTED, Step.State.DONE)
    undo = actions.undo(Lot.objects.get(pk=first.pk), ines)
    actions.run(undo)
    _end(undo, State.DONE, Step.State.DONE)
    with pytest.raises(Problem) as refused:
        actions.run(Lot.objects.get(pk=first.pk))
    assert refused.value.code == "undone"
    with pytest.raises(Problem) as refused:
        actions.undo(Lot.objects.get(pk=first.pk), ines)
    assert refused.value.code == "undone_already"


def test_two_presses_of_undo_are_one_draft(two: tuple[Lot, Lot], ines: User) -> None:
    first, _ = two
    actions.run(first)
    _end(first, State.DONE, Step.State.DONE)
    one, other = (actions.undo(Lot.objects.get(pk=first.pk), ines) for _ in range(2))
    assert one.pk == other.pk
