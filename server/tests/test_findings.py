"""Findings: what every kind has to hold to, and rows that come, stay, go and are put off."""

from __future__ import annotations

import dataclasses
from collections.abc import Iterable, Iterator
from datetime import datetime, timedelta
from typing import Any

import pytest
from django.utils.timezone import now
from rest_framework.test import APIClient

from conftest import StandIns
from movelot.devices.reading import reread
from movelot.findings.answers import parts
from movelot.findings.base import REGISTRY, FindingKind, Found, Subject, Words
from movelot.findings.judging import JUDGES, Judge, judge_due, mark_due
from movelot.findings.models import Due, Finding
from movelot.inventory.changes import Aspect, Change, everything_changed
from movelot.inventory.models import Cluster, Device
from movelot.lots.documents import form_of
from movelot.lots.kinds import REGISTRY as LOT_KINDS
from movelot.stages.base import Stage, bring, stages
from movelot_core.rounds import Urgency
from server.tests.conftest import held_elsewhere, signed_in

SUBJECT = Subject("host", 7, "quay-03")


def all_kinds() -> list[FindingKind[Any]]:
    return [kind for stage in stages() for kind in stage.finding_kinds()]


@pytest.mark.parametrize("kind", all_kinds(), ids=lambda kind: kind.name)
def test_every_kind_keeps_the_contract(kind: FindingKind[Any]) -> None:
    """Its evidence outlives being stored, nothing is left unsaid, and the lot that it names is one that there is."""
    assert REGISTRY.kinds[kind.name] == kind or REGISTRY.kinds[kind.name].name == kind.name
    assert kind.stage in {*(stage.name for stage in stages()), "devices"}
    assert kind.examples
    for evidence in kind.examples:
        assert kind.read(kind.stored(evidence)) == evidence
        assert isinstance(kind.urgency(evidence), Urgency)
        said = "".join(part.text or "1 TiB" for part in parts(kind.text(evidence)))
        assert kind.title(evidence)
        assert said
        assert kind.title(evidence) == kind.title(evidence).strip()
        for text in (kind.title(evidence), said, *kind.reasons(evidence)):
            assert "None" not in text
            assert not any(wrong in f" {text} " for wrong in (" 1 disks", " 1 hosts", " 1 days", " 1 numbers", "  "))
        assert kind.label(SUBJECT, evidence).startswith(SUBJECT.name)
        remedy = kind.remedy(SUBJECT, evidence)
        if remedy is not None:
            form_of(LOT_KINDS[remedy.kind].form, remedy.form)
        assert parts(kind.action(SUBJECT, evidence))
        place = kind.place(SUBJECT, evidence)
        assert place == "" or place.startswith("/")
        with pytest.raises(ValueError, match="has no unheard_of"):
            kind.read({**kind.stored(evidence), "unheard_of": 1})


def findings(client: APIClient, kind: str) -> list[dict[str, Any]]:
    return [row for row in client.get("/api/rounds/").json()["findings"] if row["kind"] == kind]


def test_a_finding_stays_the_same_row_and_goes_when_its_trouble_does(estate: StandIns, api: APIClient) -> None:
    assert findings(api, "clock_off")
    estate.control("clock", device="quay-02", seconds=300)
    reread(Device.objects.all())
    (row,) = [each for each in findings(api, "clock_off") if each["subject"] == "quay-02"]
    everything_changed()
    (again,) = [each for each in findings(api, "clock_off") if each["subject"] == "quay-02"]
    assert (again["id"], again["first_seen"]) == (row["id"], row["first_seen"])
    assert again["last_seen"] > row["last_seen"]
    estate.control("clock", device="quay-02", seconds=0)
    reread(Device.objects.all())
    assert not [each for each in findings(api, "clock_off") if each["subject"] == "quay-02"]
    assert Finding.objects.get(pk=row["id"]).gone_at is not None
    estate.control("clock", device="quay-02", seconds=300)
    reread(Device.objects.all())
    (back,) = [each for each in findings(api, "clock_off") if each["subject"] == "quay-02"]
    assert back["id"] == row["id"]
    assert back["first_seen"] > row["first_seen"]


def test_a_finding_is_put_off_with_a_note_and_comes_back(estate: StandIns, api: APIClient) -> None:
    (row,) = findings(api, "slow_pool")
    at = f"/api/rounds/findings/{row['id']}/acknowledged/"
    past = api.put(at, {"until": (now() - timedelta(hours=1)).isoformat()}, format="json")
    assert (past.status_code, past.json()["code"]) == (422, "until_past")
    until = (now() + timedelta(days=2)).isoformat()
    assert api.put(at, {"until": until, "note": "disks move on Friday"}, format="json").status_code == 200
    page = api.get("/api/rounds/").json()
    assert "slow_pool" not in {each["kind"] for each in page["findings"]}
    (put_off,) = page["put_off"]
    assert (put_off["acknowledged_by"], put_off["acknowledged_note"]) == ("ines.marrow", "disks move on Friday")
    assert api.get("/api/status/").json()["findings"] == len(page["findings"])
    Finding.objects.filter(pk=row["id"]).update(acknowledged_until=now() - timedelta(seconds=1))
    assert findings(api, "slow_pool")
    api.put(at, {"until": until}, format="json")
    assert api.delete(at).status_code == 200
    assert findings(api, "slow_pool")
    assert signed_in("auditor").put(at, {"until": until}, format="json").status_code == 403


def due() -> set[str]:
    return set(Due.objects.values_list("judgement", flat=True))


def test_a_reading_makes_due_only_what_it_touches(estate: StandIns) -> None:
    assert due() == set()
    reread(Device.objects.all())
    assert due() == set()
    estate.control("grow", datastore="berth-a", bytes=2**30)
    reread(Device.objects.all())
    # Sizes are of the aspect in which disks move as well, which policies rest on.
    assert {name.split(":")[0] for name in due()} == {"capacity", "group", "machines", "policies"}
    judge_due()
    quayside, port = Cluster.objects.get(name="quayside"), {"host": "quay-02", "interface": "storage-b"}
    estate.control("wire", **port, vlan=999)
    reread(Device.objects.all())
    assert {name for name in due() if name.startswith("paths")} == {f"paths:{quayside.pk}"}
    assert "files:all" not in due()
    count = len(due())
    assert judge_due() == count
    assert due() == set()


def test_a_status_costs_the_same_few_queries_while_readings_come_in(
    estate: StandIns, api: APIClient, django_assert_max_num_queries: Any
) -> None:
    api.get("/api/status/")
    estate.control("grow", datastore="berth-a", bytes=2**30)
    reread(Device.objects.all())
    with django_assert_max_num_queries(9):
        assert APIClient.generic(api, "GET", "/api/status/").status_code == 200
    assert due()


class Broken(Judge):
    name = "broken"
    aspects = frozenset({Aspect.STATE})

    def judge(self, scope: str, moment: datetime) -> Iterable[Found[Any]]:
        raise RuntimeError("this judge is broken")


@dataclasses.dataclass(frozen=True)
class TideEvidence:
    metres: float


class TideKind(FindingKind[TideEvidence]):
    """A made-up kind of a made-up stage: nothing outside this file knows of it."""

    name, stage = "tide_high", "tides"
    evidence = TideEvidence
    examples = (TideEvidence(4.2),)

    def urgency(self, evidence: TideEvidence) -> Urgency:
        return Urgency.NOW

    def title(self, evidence: TideEvidence) -> str:
        return "The tide is high"

    def text(self, evidence: TideEvidence) -> Words:
        return [f"{evidence.metres} m at the gauge"]


class TideJudge(Judge):
    name = "tides"
    aspects = frozenset({Aspect.STATE})
    metres: float = 4.2

    def judge(self, scope: str, moment: datetime) -> Iterable[Found[Any]]:
        return [Found(TideKind(), Subject("gauge", None, "harbour gauge"), TideEvidence(self.metres))]


@pytest.fixture
def tides(estate: StandIns) -> Iterator[None]:
    """A stage that is registered here only."""
    stage = Stage(
        "tides",
        finding_kinds=lambda: [TideKind()],
        judges=lambda: [TideJudge(), Broken()],
    )
    bring(stage)
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr("movelot.rounds.views.stages", lambda: (*stages(), stage))
        yield
    for name in ("tides", "broken"):
        JUDGES.pop(name)
    REGISTRY.kinds.pop("tide_high")


def test_a_stage_of_its_own_shows_in_rounds_and_in_the_top_strip(
    tides: None, api: APIClient, caplog: pytest.LogCaptureFixture
) -> None:
    mark_due([Change(Aspect.STATE, "host", 1)])
    (row,) = findings(api, "tide_high")
    assert (row["title"], row["text"], row["stage"]) == (
        "The tide is high",
        [{"text": "4.2 m at the gauge", "bytes": None}],
        "tides",
    )
    assert api.get("/api/status/").json()["waiting"]["tides"] == 1
    # A judge that fails is logged and keeps none of the others from being made.
    assert "judgement broken:all failed" in caplog.text
    assert due() == set()


def test_what_changes_while_it_is_judged_is_judged_once_more(tides: None, monkeypatch: pytest.MonkeyPatch) -> None:
    metres = [4.2, 3.9]

    def judge(self: TideJudge, scope: str, moment: datetime) -> Iterable[Found[Any]]:
        told = metres.pop(0)
        if metres:
            # Another worker is sent to it now, and leaves it to the one that is at it.
            mark_due([Change(Aspect.STATE, "host", 1)])
            judge_due()
        return [Found(TideKind(), Subject("gauge", None, "harbour gauge"), TideEvidence(told))]

    monkeypatch.setattr(TideJudge, "judge", judge)
    mark_due([Change(Aspect.STATE, "host", 1)])
    judge_due()
    assert (metres, "tides:all" in due()) == ([], False)
    assert Finding.objects.get(kind="tide_high", gone_at=None).evidence == {"metres": 3.9}


def test_a_judgement_that_another_worker_makes_is_left_to_it(tides: None) -> None:
    mark_due([Change(Aspect.STATE, "host", 1)])
    with held_elsewhere("judging-tides:all"):
        judge_due()
        assert "tides:all" in due()
    judge_due()
    assert "tides:all" not in due()
