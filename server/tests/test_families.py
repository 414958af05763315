"""What CONTRIBUTING promises of families: a new member is its own file, and then it is everywhere.

The members here are made up and known by the product only through what a real one would touch.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from typing import Any

import pytest
from rest_framework.test import APIClient

from conftest import StandIns
from movelot.accounts.models import User
from movelot.attach.storage import STORAGE_KINDS
from movelot.attach.storage.base import Leaving, Showing, StorageKind
from movelot.findings.base import REGISTRY as FINDINGS
from movelot.findings.judging import JUDGES, mark_due
from movelot.inventory.changes import Aspect, Change
from movelot.inventory.models import Device, Volume
from movelot.lots import actions
from movelot.lots.kinds import PASS, REGISTRY, Check
from movelot.lots.models import Lot
from movelot.lots.step_plan import AnyHandle, StepPlan
from movelot.lots.steps import KINDS
from movelot.lots.steps.hosts import Rescan
from movelot.lots.steps.volumes import DeleteVolume
from movelot.stages.base import bring, stages
from server.tests.conftest import drafted, run_to_end
from server.tests.made_up_stage import STAGE, RingBell


@pytest.fixture
def bells(estate: StandIns, settings: Any) -> Iterator[None]:
    """One line in the settings; a step kind stands in the folder of step kinds."""
    settings.STAGES = [*settings.STAGES, "server.tests.made_up_stage"]
    KINDS[RingBell.kind] = RingBell
    stages.cache_clear()
    bring(STAGE)
    yield
    del KINDS["ring_bell"], REGISTRY["bell"], JUDGES["bells"], FINDINGS.kinds["bell_silent"]
    stages.cache_clear()


def test_a_stage_is_its_folder_and_one_line(bells: None, api: APIClient, ines: User) -> None:
    mark_due([Change(Aspect.STATE, "host", 1)])
    (finding,) = [row for row in api.get("/api/rounds/").json()["findings"] if row["kind"] == "bell_silent"]
    assert finding["text"] == [{"text": "quay-01 was not heard for 4 hours", "bytes": None}]
    assert api.get("/api/status/").json()["waiting"]["bells"] == 1
    draft = finding["draft"]
    answer = api.post("/api/lots/", {"kind": draft["kind"], "form": draft["form"]}, format="json")
    assert answer.json()["steps"][0]["title"] == "Ring the bell of quay-01"
    lot = run_to_end(Lot.objects.get(pk=answer.json()["summary"]["id"]))
    assert [(row["predicted"], row["measured"]) for row in lot.outcome["rows"]] == [(2, 2)]
    undone = run_to_end(actions.undo(lot, ines))
    assert [step.params for step in undone.steps.all()] == [{"times": -2}]
    refused = api.post("/api/lots/", {"kind": "bell", "form": {"host": "quay-77"}}, format="json")
    assert refused.json()["fields"] == {"host": ["There is no host “quay-77”."]}


class Crate(StorageKind):
    """Made up: hosts hoist it aboard."""

    name, noun, has_word, is_device = "crate", "crate", "hoist", False

    def show(self, volume: Volume, cluster: str) -> Showing:
        steps, hosts = StepPlan(), list(Device.objects.filter(kind="host", cluster__name="quayside").order_by("name"))
        steps.add_all(Rescan().on(host.name, f"Hoist {volume.name} aboard {host.name}") for host in hosts)
        return Showing([Check("the crane works", PASS, "it does")], steps, [host.name for host in hosts])

    def take_away(self, plan: StepPlan, leaving: Leaving, after: Sequence[AnyHandle] = ()) -> list[AnyHandle]:
        if leaving.keep:
            return [*after]
        delete = DeleteVolume(uri=leaving.volume.uri, name=leaving.volume.name)
        return [plan.add(delete.on(leaving.volume.device.name, f"Delete {self.noun} {leaving.volume.name}"), after)]


def test_a_storage_kind_is_its_own_file(estate: StandIns, ines: User, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setitem(STORAGE_KINDS, Crate.name, Crate())
    Volume.objects.filter(name="slate-09").update(kind="crate")
    crate = Volume.objects.get(name="slate-09")
    shown = drafted("spread", ines, volume=crate.pk)
    assert shown.title == "Let all hosts hoist slate-09"
    assert next(step.title for step in shown.steps.all()) == "Hoist slate-09 aboard quay-01"
    assert run_to_end(shown).outcome["rows"][0]["predicted"] == 3
    # The reading told it anew as what the array says it is.
    Volume.objects.filter(name="slate-09").update(kind="crate")
    lot = drafted("detach", ines, volume=crate.pk, confirm="slate-09")
    assert [step.title for step in lot.steps.all()] == ["Delete crate slate-09"]
    # It is not to be formatted, and so not offered for it.
    use = drafted("use_volume", ines, volume=crate.pk)
    assert next(check["text"] for check in use.checks if check["level"] == "stop") == (
        "It is no block volume of any array."
    )
    Volume.objects.filter(name="slate-09").update(kind="crate")
    assert run_to_end(lot).state == Lot.State.DONE
    assert "slate-09" not in {volume["name"] for volume in estate.world()["volumes"]}


@pytest.mark.parametrize("name", sorted(STORAGE_KINDS))
def test_every_storage_kind_keeps_the_contract(estate: StandIns, ines: User, name: str) -> None:
    """Whatever it is, hosts that have it are known, and it is drafted for and taken away in an order that ends."""
    kind = STORAGE_KINDS[name]
    assert (kind.name, bool(kind.__doc__ or type(kind).__mro__[1].__doc__)) == (name, True)
    for volume in Volume.objects.filter(kind=name).select_related("device", "pool")[:4]:
        hosts = kind.hosts_with(volume)
        assert kind.still_had(volume.serial) >= len(hosts)
        if kind.stands_alone(volume):
            steps = StepPlan()
            assert kind.take_away(steps, Leaving(volume, None, hosts, keep=True)) == []
            assert not len(steps)
            continue
        lot = drafted("detach", ines, volume=volume.pk, keep=True)
        assert not any(step.kind.startswith("delete") for step in lot.steps.all())
        assert drafted("detach", ines, volume=volume.pk, confirm="no").steps.count() == lot.steps.count() + 1
        assert drafted("spread", ines, volume=volume.pk, cluster="quayside").checks
