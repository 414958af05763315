"""Estates as Data Packages: out and in again the same, all errors at once, nothing half-done; lots as run sheets."""

from __future__ import annotations

import csv
import io
import json
import re
import time
import zipfile
from collections.abc import Callable
from datetime import UTC, datetime
from typing import Any

import frictionless
import pytest
from django.core.cache import cache
from rest_framework.test import APIClient

from conftest import ROOT, StandIns
from movelot.accounts.models import User
from movelot.exchange.tables import TABLES
from movelot.exchange.writing import package
from movelot.inventory.changes import everything_changed
from movelot.inventory.models import (
    BalanceGroup,
    Cluster,
    Datastore,
    Device,
    Disk,
    Grant,
    Label,
    Machine,
    Mount,
    Pool,
    Volume,
)
from movelot.jobs import files, work
from movelot.jobs.models import FilePart, Job
from movelot.lots import actions
from movelot.lots.models import Lot
from movelot.lots.sheet import as_csv, as_html, as_markdown, sheet_of
from movelot.problems import Problem
from server.tests.conftest import drafted, link_card, plan_of, signed_in

WHEN = datetime(2026, 11, 25, 2, 0, tzinfo=UTC)
URL = "/api/exchange/package/"


def tables_of(zipped: bytes) -> dict[str, list[dict[str, str]]]:
    with zipfile.ZipFile(io.BytesIO(zipped)) as archive:
        names = [name for name in archive.namelist() if name.endswith(".csv")]
        return {
            name.removesuffix(".csv"): list(csv.DictReader(io.StringIO(archive.read(name).decode()))) for name in names
        }


def zipped(tables: dict[str, list[dict[str, str]]], **others: str) -> bytes:
    """A package of ``tables``, without a descriptor unless one is given under ``datapackage``."""
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w") as archive:
        for name, rows in tables.items():
            text = io.StringIO()
            heads = list(rows[0]) if rows else [c.name for t in TABLES if t.name == name for c in t.columns]
            writer = csv.DictWriter(text, heads)
            writer.writeheader()
            writer.writerows(rows)
            archive.writestr(f"{name}.csv", text.getvalue())
        for name, text_ in others.items():
            archive.writestr(f"{name}.json", text_)
    return out.getvalue()


def send(client: APIClient, content: bytes, dry: bool = False) -> Any:
    file = io.BytesIO(content)
    file.name = "estate.zip"
    return client.post(URL, {"file": file, "dry_run": "true" if dry else "false"}, format="multipart")


def unlink_all() -> None:
    for model in (Label, BalanceGroup, Cluster):
        model._default_manager.all().delete()
    for durable in (Disk, Machine, Datastore, Device):
        durable.known.all().delete()
    everything_changed()


@pytest.fixture
def api(db: None) -> APIClient:
    """The API as the storage team sees it: only they take grants in."""
    return signed_in("tobias.wren")


@pytest.fixture
def demo(estate: StandIns) -> dict[str, list[dict[str, str]]]:
    """The demo estate as tables, with nothing linked any more."""
    found = tables_of(package(WHEN))
    unlink_all()
    return found


def test_out_and_in_again_it_is_the_same_estate(estate: StandIns, api: APIClient) -> None:
    Machine.objects.get(name="payroll").labels.create(key="team", value="wages")
    before = package(WHEN)
    plan = plan_of("quayside")
    unlink_all()
    answer = send(api, before)
    assert answer.status_code == 200, answer.content
    assert (answer.json()["imported"], answer.json()["fault_count"]) == (True, 0)
    cache.clear()
    assert tables_of(package(WHEN)) == tables_of(before)
    again = plan_of("quayside")
    # As good a plan, though of other disks: what was imported copies over hosts.
    assert again.bound_bytes == pytest.approx(plan.bound_bytes, rel=1e-6)
    assert max(plan.moved_bytes, again.moved_bytes) <= 1.05 * plan.bound_bytes


def test_a_disk_may_lie_on_a_datastore_that_only_other_hosts_mount(
    demo: dict[str, list[dict[str, str]]], api: APIClient
) -> None:
    store = next(row["identity"] for row in demo["datastores"] if row["name"] == "berth-a")
    disk = next(row for row in demo["disks"] if row["datastore"] == store)
    kept = [row for row in demo["mounts"] if (row["datastore"], row["host"]) != (store, disk["host"])]
    assert len(kept) == len(demo["mounts"]) - 1
    assert send(api, zipped({**demo, "mounts": kept})).json()["imported"]
    assert Disk.objects.get(identity=disk["identity"]).datastore == Datastore.objects.get(identity=store)


def test_a_datastore_that_goes_from_one_host_to_another_stays_the_same(demo: dict[str, Any], api: APIClient) -> None:
    store = next(row["identity"] for row in demo["datastores"] if row["name"] == "berth-a")
    hosts = [row["host"] for row in demo["mounts"] if row["datastore"] == store]

    def only_on(host: str) -> dict[str, Any]:
        left = [row for row in demo["mounts"] if row["datastore"] != store or row["host"] == host]
        return {**demo, "mounts": left}

    assert send(api, zipped(only_on(hosts[0]))).json()["imported"]
    key = Datastore.objects.get(identity=store).pk
    assert send(api, zipped(only_on(hosts[1]))).json()["imported"]
    mount = Mount.objects.get(datastore__identity=store)
    assert (mount.host.name, mount.datastore_id) == (hosts[1], key)


def test_what_is_written_is_a_valid_data_package_to_others(estate: StandIns, tmp_path: Any) -> None:
    with zipfile.ZipFile(io.BytesIO(package(WHEN))) as archive:
        archive.extractall(tmp_path)
    report = frictionless.validate(str(tmp_path / "datapackage.json"))
    assert report.valid, report.flatten(["title", "message"])
    assert len(report.tasks) == len([name for name in tmp_path.iterdir() if name.suffix == ".csv"])


def test_every_page_answers_for_an_imported_estate(demo: Any, api: APIClient) -> None:
    send(api, zipped(demo))
    cache.clear()
    rounds = api.get("/api/rounds/").json()
    kinds = {finding["kind"] for finding in rounds["findings"]}
    assert {"over_fill", "slow_pool", "missing_paths", "idle_volume", "file_limits"} <= kinds
    assert "device_trouble" not in kinds
    assert api.get("/api/status/").json()["devices_away"] == 0
    assert {device["state"] for device in api.get("/api/devices/").json()} == {"imported"}
    assert api.post("/api/devices/reread/").status_code == 200
    assert api.get("/api/network/paths/").json()["board"]["seen"] == 20
    assert api.get("/api/network/loss/", {"kind": "switch", "name": "switch-1"}).json()["machines_stop"] > 0


def test_only_what_is_needed_is_enough_to_balance(demo: Any, api: APIClient) -> None:
    needed = {table.name for table in TABLES if table.needed}
    few = {name: rows for name, rows in demo.items() if name in needed}
    assert send(api, zipped(few)).json()["imported"]
    cache.clear()
    group = BalanceGroup.objects.get(name="quayside")
    assert len(plan_of("quayside").moves) > 0
    assert api.get(f"/api/balance/groups/{group.name}/").status_code == 200


def spoil(table: str, row: int, column: str, value: str) -> Callable[[dict[str, Any]], None]:
    def change(tables: dict[str, Any]) -> None:
        tables[table][row][column] = value

    return change


@pytest.mark.parametrize(
    ("change", "fault"),
    [
        (spoil("disks", 1, "size_bytes", "ten"), ("disks.csv", 3, "size_bytes", "ten", "a whole number of at least 0")),
        (spoil("disks", 0, "size_bytes", "-1"), ("disks.csv", 2, "size_bytes", "-1", "a whole number of at least 0")),
        (spoil("disks", 0, "size_bytes", "9" * 30), ("disks.csv", 2, "size_bytes", "9" * 30, None)),
        (spoil("disks", 0, "name", ""), ("disks.csv", 2, "name", "", "a text")),
        (spoil("disks", 0, "pinned", "perhaps"), ("disks.csv", 2, "pinned", "perhaps", "true or false, or nothing")),
        (
            spoil("disks", 0, "datastore", "x"),
            ("disks.csv", 2, "datastore", "x", "one that datastores.csv has as identity"),
        ),
        (spoil("disks", 0, "machine", "x"), ("disks.csv", 2, "machine", "x", None)),
        (spoil("hosts", 2, "cluster", "y"), ("hosts.csv", 4, "cluster", "y", "one that clusters.csv has as name")),
        (spoil("volumes", 0, "pool", "z"), ("volumes.csv", 2, "pool", "z", None)),
        (spoil("volumes", 0, "kind", "tape"), ("volumes.csv", 2, "kind", "tape", "one of block, file, set, member")),
        (spoil("host_ports", 0, "network", "10.40"), ("host_ports.csv", 2, "network", "10.40", None)),
        (spoil("fills", 0, "day", "yesterday"), ("fills.csv", 2, "day", "yesterday", "as 2026-11-24")),
        (spoil("loads", 0, "h07", "nan"), ("loads.csv", 2, "h07", "nan", None)),
        (spoil("datastores", 0, "free_bytes", "9" * 15), ("datastores.csv", 2, "free_bytes", "9" * 15, None)),
        (spoil("exports", 0, "clients", "here=ReadWrite"), ("exports.csv", 2, "clients", "here", None)),
    ],
)
def test_a_wrong_value_is_told_with_its_place_and_nothing_is_imported(
    demo: dict[str, Any], api: APIClient, change: Callable[[dict[str, Any]], None], fault: tuple[Any, ...]
) -> None:
    change(demo)
    answer = send(api, zipped(demo)).json()
    assert not answer["imported"]
    assert answer["fault_count"] >= 1
    first = answer["faults"][0]
    assert (first["file"], first["row"], first["column"], first["value"]) == fault[:4]
    assert fault[4] is None or first["expected"] == fault[4]
    assert not Device.objects.exists()


def test_all_faults_of_all_files_are_told_at_once(demo: dict[str, Any], api: APIClient) -> None:
    for row in demo["disks"]:
        row["size_bytes"] = "much"
    del demo["hosts"]
    demo["clusters"] = [{"title": "quayside"}]
    answer = send(api, zipped(demo)).json()
    files = [fault["file"] for fault in answer["faults"]]
    assert files.count("disks.csv") >= len(demo["disks"])
    assert {"hosts.csv", "clusters.csv"} <= set(files)
    assert answer["fault_count"] == len(answer["faults"])


def test_what_refers_to_a_row_with_a_fault_is_no_fault_itself(demo: dict[str, Any], api: APIClient) -> None:
    demo["disks"][0]["size_bytes"] = "760 GiB"
    answer = send(api, zipped(demo)).json()
    assert [(fault["file"], fault["row"]) for fault in answer["faults"]] == [("disks.csv", 2)]


def test_two_rows_of_one_key_are_told(demo: dict[str, Any], api: APIClient) -> None:
    demo["hosts"].append(dict(demo["hosts"][0]))
    first = send(api, zipped(demo)).json()["faults"][0]
    assert (first["file"], first["row"], first["expected"]) == (
        "hosts.csv",
        len(demo["hosts"]) + 1,
        "one that row 2 does not have",
    )


def test_what_is_linked_is_never_overwritten(estate: StandIns, api: APIClient) -> None:
    answer = send(api, package(WHEN)).json()
    assert not answer["imported"]
    faults = {(fault["column"], fault["expected"]) for fault in answer["faults"]}
    assert ("name", "a name that no linked device has") in faults
    assert ("serial", "one that nothing linked has") in faults
    assert not Device.objects.filter(state="imported").exists()


def test_a_dry_run_takes_nothing_in(demo: dict[str, Any], api: APIClient) -> None:
    answer = send(api, zipped(demo), dry=True).json()
    assert (answer["imported"], answer["fault_count"]) == (False, 0)
    assert {"table": "disks", "rows": len(demo["disks"])} in answer["tables"]
    assert not Device.objects.exists()


def test_the_next_import_replaces_the_last_and_forgets_what_is_gone(demo: dict[str, Any], api: APIClient) -> None:
    send(api, zipped(demo))
    kept = Disk.objects.get(name="berth-plan-db disk 1").pk
    for table, column in (("machines", "host"), ("disks", "host"), ("mounts", "host"), ("hosts", "name")):
        demo[table] = [row for row in demo[table] if row[column] != "quay-02"]
    for table in ("host_ports", "host_devices", "capabilities"):
        demo[table] = [row for row in demo[table] if "quay-02" not in row.values()]
    there = {row["identity"] for row in demo["disks"]}
    demo["loads"] = [row for row in demo["loads"] if row["disk"] in there]
    answer = send(api, zipped(demo)).json()
    assert answer["imported"], answer["faults"][:3]
    quays = Device.objects.filter(kind="host", cluster__name="quayside")
    assert sorted(quays.values_list("name", flat=True)) == ["quay-01", "quay-03"]
    assert not Mount.objects.filter(host__name="quay-02").exists()
    assert Disk.objects.get(name="berth-plan-db disk 1").pk == kept
    assert Grant.objects.count() == len(demo["grants"])


def test_a_host_that_is_gone_keeps_its_name_in_the_lots_that_tell_of_it(
    demo: dict[str, Any], api: APIClient, ines: User
) -> None:
    imported(demo, api)
    lot = drafted("uplinks", ines, host="quay-03")
    actions.run(lot)
    few: dict[str, Any] = {table.name: [] for table in TABLES if table.needed}
    assert send(api, zipped(few)).json()["imported"]
    assert not Device.objects.exists()
    assert {step["device"] for step in api.get(f"/api/lots/{lot.pk}/").json()["steps"]} == {"quay-03"}
    assert not Disk.objects.exists()
    assert not Datastore.objects.exists()
    assert api.get("/api/rounds/").json()["findings"] == []
    for path in ("balance/groups/quayside/", "attach/file-limits/", "status/"):
        answer = api.get(f"/api/{path}")
        assert answer.status_code in (200, 405), (path, answer.content)


@pytest.mark.parametrize(
    ("content", "code"),
    [
        (b"not a zip", "no_package"),
        (zipped({}, datapackage="{}"), "descriptor_unreadable"),
        (zipped({}, datapackage="nonsense"), "descriptor_unreadable"),
    ],
)
def test_a_file_that_is_no_package_is_refused(db: None, api: APIClient, content: bytes, code: str) -> None:
    answer = send(api, content)
    assert (answer.status_code, answer.json()["code"]) == (422, code)


def test_a_file_in_another_encoding_says_where(demo: Any, api: APIClient) -> None:
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w") as archive:
        archive.writestr("clusters.csv", "name\nK\xfcste\n".encode("latin-1"))
    answer = send(api, out.getvalue())
    assert answer.json()["title"] == "clusters.csv is not UTF-8 at byte 6."


def test_the_auditor_may_take_it_out_but_not_bring_it_in(estate: StandIns) -> None:
    client = signed_in("auditor")
    made = client.post(f"{URL}export/").json()
    file = client.get(made["file"])
    content = b"".join(file.streaming_content)
    assert file["Content-Disposition"] == 'attachment; filename="estate.zip"'
    assert len(content) == made["size_bytes"]
    assert tables_of(content) == tables_of(package(WHEN))
    assert send(client, b"").status_code == 403


def test_what_was_sent_is_kept_no_longer_than_its_job(estate: StandIns, api: APIClient) -> None:
    for dry in (True, False):
        assert send(api, package(WHEN), dry).json()["tables"]
    assert not FilePart.objects.filter(out=False).exists()
    assert set(Job.objects.values_list("kind", flat=True)) == {"import_package"}


def test_a_file_larger_than_a_part_is_whole_again(estate: StandIns, ines: User, monkeypatch: Any) -> None:
    monkeypatch.setattr("movelot.jobs.files.PART_BYTES", 1000)
    content = bytes(n % 251 for n in range(4321))
    job = work.start("import_package", {"dry_run": True}, ines, [content[:17], content[17:2500], content[2500:]])
    assert job.parts.count() == 5
    with files.opened(job) as file:
        assert file.read() == content
    work.cancel(job)
    assert not job.parts.exists()


def test_a_descriptor_may_name_files_otherwise(demo: dict[str, Any], api: APIClient) -> None:
    content = zipped(demo)
    out = io.BytesIO()
    with zipfile.ZipFile(io.BytesIO(content)) as old, zipfile.ZipFile(out, "w") as new:
        resources = []
        for name in old.namelist():
            new.writestr(f"data/my-{name}", old.read(name))
            resources.append({"name": name.removesuffix(".csv"), "path": f"data/my-{name}"})
        new.writestr("datapackage.json", json.dumps({"name": "mine", "resources": resources}))
    assert send(api, out.getvalue()).json()["imported"]


def imported(demo: dict[str, Any], api: APIClient) -> None:
    assert send(api, zipped(demo)).json()["imported"]
    cache.clear()


@pytest.mark.parametrize(
    ("kind", "form", "steps"),
    [
        ("balance", {"group": "quayside"}, {"move_disk"}),
        ("uplinks", {"host": "quay-03"}, {"bind_uplink", "log_in", "rescan"}),
        ("file_limits", {}, {"set_file_client"}),
        (
            "attach",
            {"cluster": "quayside", "name": "berth-e", "size": "1 TiB"},
            {"create_volume", "offer_volume", "scan", "format_device", "mount", "set_path_policy"},
        ),
    ],
)
def test_lots_of_an_imported_estate_end_as_a_run_sheet(
    demo: Any, api: APIClient, ines: User, kind: str, form: dict[str, Any], steps: set[str]
) -> None:
    imported(demo, api)
    lot = drafted(kind, ines, **form)
    detail = api.get(f"/api/lots/{lot.pk}/").json()
    assert detail["by_hand"]
    assert "people carry this lot out" in " ".join(check["text"] for check in detail["checks"])
    assert actions.run(lot).state == Lot.State.SHEET
    assert {step.kind for step in lot.steps.all()} == steps
    sheet = sheet_of(Lot.objects.get(pk=lot.pk))
    assert all(step.proof for step in sheet.steps)
    rows = list(csv.DictReader(io.StringIO(as_csv(sheet))))
    assert [row["title"] for row in rows] == [step.title for step in lot.steps.all()]
    assert as_markdown(sheet).count("- [ ]") == len(rows)
    assert as_html(sheet).count('class="box"') == len(rows)
    assert "press Carried out" in as_markdown(sheet)


def test_a_run_sheet_is_settled_once_carried_out_and_not_undone(demo: Any, api: APIClient, ines: User) -> None:
    imported(demo, api)
    lot = actions.run(drafted("uplinks", ines, host="quay-03"))
    with pytest.raises(Problem, match="sheet"):
        actions.run(lot)
    done = api.post(f"/api/lots/{lot.pk}/carried_out/").json()
    assert (done["summary"]["state"], done["can_undo"]) == ("done", False)
    assert api.post(f"/api/lots/{lot.pk}/carried_out/").status_code == 409
    answer = api.post(f"/api/lots/{lot.pk}/undo/")
    assert (answer.status_code, answer.json()["code"]) == (409, "carried_out_by_hand")


@pytest.mark.parametrize(("written_as", "kind"), [("md", "text/markdown"), ("csv", "text/csv"), ("html", "text/html")])
def test_a_sheet_is_had_in_each_form_also_of_linked_devices(
    estate: StandIns, ines: User, written_as: str, kind: str
) -> None:
    lot = drafted("uplinks", ines, host="quay-03")
    answer = signed_in("auditor").get(f"/api/lots/{lot.pk}/sheet/", {"written_as": written_as})
    assert answer.headers["Content-Type"].startswith(kind)
    assert "Bind storage-b to uplink-2 alone" in answer.content.decode()
    assert "press Carried out" not in answer.content.decode()
    assert signed_in("auditor").get(f"/api/lots/{lot.pk}/sheet/", {"written_as": "pdf"}).status_code == 422


def test_names_cannot_become_marks_nor_formulas_nor_tags(estate: StandIns, ines: User) -> None:
    lot = drafted("uplinks", ines, host="quay-03")
    step = lot.steps.first()
    assert step is not None
    step.title = "=1+1 <b>*x*</b>"
    step.save()
    sheet = sheet_of(lot)
    assert "'=1+1" in as_csv(sheet)
    assert "<b>" not in as_html(sheet)
    assert re.search(r"\\<b\\>\\\*x\\\*", as_markdown(sheet))


def metrics(client: APIClient, text: str, written_as: str = "csv") -> Any:
    return client.post("/api/exchange/metrics/", {"text": text, "written_as": written_as}, format="json")


def test_metrics_taken_in_teach_the_curve_of_a_pool(demo: dict[str, Any], api: APIClient) -> None:
    for name in ("loads", "coincidences", "fills"):
        del demo[name]
    demo["pools"] = [{k: v for k, v in row.items() if not k.startswith(("curve", "fit"))} for row in demo["pools"]]
    imported(demo, api)
    disk = Disk.objects.get(name="payroll disk 1")
    now = int(datetime.now(UTC).timestamp()) // 3600 * 3600
    lines = ["metric,subject,time,value"]
    for n in range(1, 200):
        moment, iops = now - 3600 * n, 200 + 40 * (n % 24)
        lines += [
            f"disk_read_iops,{disk.identity},{moment},{iops}",
            f"disk_write_iops,{disk.identity},{moment},{iops / 2}",
            f"disk_io_kib,{disk.identity},{moment},8",
            f"pool_latency_ms,granite/granite-fast,{moment},{1 / (1 - iops * 2.5 / 6000)}",
        ]
    answer = metrics(api, "\n".join(lines))
    assert answer.json() == {"samples": 199 * 2, "faults": [], "fault_count": 0}
    pool = Pool.objects.get(name="granite-fast")
    assert pool.fit_samples == 199
    assert pool.fit_error_ms < 0.1
    disk.refresh_from_db()
    assert disk.weekday_profile


def test_openmetrics_text_says_the_same(demo: dict[str, Any], api: APIClient) -> None:
    imported(demo, api)
    store = Datastore.objects.get(name="berth-b")
    text = (
        "# TYPE movelot_datastore_used_bytes gauge\n"
        f'movelot_datastore_used_bytes{{id="{store.identity}"}} 5e12 1790000000\n'
        "# EOF\n"
    )
    assert metrics(api, text, "openmetrics").json()["samples"] == 1
    assert store.days.filter(used_bytes=5 * 10**12).exists()


def test_metrics_with_any_fault_are_not_taken_in_at_all(demo: dict[str, Any], api: APIClient) -> None:
    imported(demo, api)
    disk, before = Disk.objects.first(), Disk.objects.filter(load_days__isnull=False).count()
    assert disk is not None
    text = (
        "metric,subject,time,value\n"
        f"disk_read_iops,{disk.identity},2026-11-24T10:00:00Z,100\n"
        "disk_read_iops,nobody,2026-11-24T10:00:00Z,100\n"
        f"disk_read_iops,{disk.identity},noon,100\n"
        f"disk_read_iops,{disk.identity},2026-11-24T10:00:00Z,-5\n"
        f"disk_colour,{disk.identity},2026-11-24T10:00:00Z,5\n"
    )
    answer = metrics(api, text).json()
    assert answer["samples"] == 0
    assert [(fault["row"], fault["column"]) for fault in sorted(answer["faults"], key=lambda f: f["row"])] == [
        (3, "subject"),
        (4, "time"),
        (5, "value"),
        (6, "metric"),
    ]
    assert Disk.objects.filter(load_days__isnull=False).count() == before


@pytest.mark.parametrize(
    ("text", "written_as", "code"),
    [
        ("a,b\n1,2", "csv", "header_unknown"),
        ("", "csv", "header_unknown"),
        ("this is { no", "openmetrics", "metrics_unreadable"),
    ],
)
def test_a_file_of_another_form_says_what_was_expected(
    db: None, api: APIClient, text: str, written_as: str, code: str
) -> None:
    answer = metrics(api, text or " ", written_as)
    assert (answer.status_code, answer.json()["code"]) == (422, code)


def test_a_device_of_an_imported_name_is_not_linked_over_it(
    demo: dict[str, Any], api: APIClient, standins: StandIns
) -> None:

    imported(demo, api)
    with pytest.raises(Problem) as refused:
        link_card(standins.cards["quay-01"])
    assert refused.value.code == "imported_already"
    assert Volume.objects.filter(device__state="imported").count() == len(demo["volumes"])


def test_the_documentation_names_every_table_and_column() -> None:
    text = (ROOT / "docs" / "formats.md").read_text()
    for table in TABLES:
        part = text.split(f"**{table.name}**")[1].split("\n**")[0]
        named = [column.name for column in table.columns if not re.fullmatch(r"h\d\d", column.name)]
        assert [name for name in named if f"`{name}`" not in part] == []


def test_grants_of_a_package_are_taken_in_for_the_storage_team_only(demo: Any, api: APIClient, ines: User) -> None:
    answer = send(signed_in("ines.marrow"), zipped(demo)).json()
    assert (answer["imported"], answer["grants_left_out"]) == (True, len(demo["grants"]))
    assert not Grant.objects.exists()
    demo["grants"][0]["granted_by"] = "the.president"
    assert send(api, zipped(demo)).json()["grants_left_out"] == 0
    assert set(Grant.objects.values_list("granted_by", flat=True)) == {"tobias.wren"}
    # Of anybody else's import they stay as they are.
    demo["grants"] = []
    send(signed_in("ines.marrow"), zipped(demo))
    assert Grant.objects.exists()


def bomb(content: bytes, name: str = "hosts.csv") -> bytes:
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        archive.writestr(name, content)
    return out.getvalue()


def corrupt() -> bytes:
    """A zip whose deflated bytes are not what their checksum says."""
    whole = bytearray(bomb(bytes(range(256)) * 40))
    whole[60:90] = bytes(30)
    return bytes(whole)


@pytest.mark.parametrize(
    ("content", "code"),
    [
        (bomb(b"name\n" + b"," * 30 * 1024**2), "package_too_large"),
        (bomb(b"[" * 900_000, "datapackage.json"), "descriptor_unreadable"),
        (corrupt(), "no_package"),
        (b"PK\x03\x04", "no_package"),
    ],
    ids=["made to grow", "nested", "corrupt", "cut"],
)
def test_a_package_made_to_do_harm_is_refused_soon(estate: StandIns, api: APIClient, content: bytes, code: str) -> None:
    before = Device.objects.count()
    begun = time.process_time()
    assert send(api, content).json()["code"] == code
    assert time.process_time() - begun < 3
    assert Device.objects.count() == before


def test_a_cell_without_end_is_a_fault_of_its_row(demo: dict[str, Any], api: APIClient) -> None:
    demo["machines"][3]["os"] = "x" * (1024**2 + 1)
    first = send(api, zipped(demo)).json()["faults"][0]
    assert (first["file"], first["row"]) == ("machines.csv", 5)


def test_a_day_that_there_is_not_and_an_unknown_power_are_faults(demo: dict[str, Any], api: APIClient) -> None:
    demo["machines"][0]["power"] = "Maybe"
    first = send(api, zipped(demo)).json()["faults"][0]
    assert (first["column"], first["value"]) == ("power", "Maybe")
    demo["machines"][0]["power"] = "On"
    demo["fills"] = [{**demo["fills"][0], "day": "2024-99-99"}]
    first = send(api, zipped(demo)).json()["faults"][0]
    assert (first["column"], first["value"]) == ("day", "2024-99-99")


def test_the_cause_is_told_and_not_all_that_follows_from_it(demo: dict[str, Any], api: APIClient) -> None:
    follow = sum(row.get("host") == "quay-01" for table in demo.values() for row in table)
    assert follow > 40
    next(row for row in demo["hosts"] if row["name"] == "quay-01")["name"] = ""
    faults = send(api, zipped(demo)).json()["faults"]
    assert (faults[0]["file"], faults[0]["column"]) == ("hosts.csv", "name")
    assert len(faults) < 20
    assert all("put right first" in fault["expected"] for fault in faults[1:])


@pytest.mark.parametrize("text", ["=1+2", "+x", "-x", "@x", "'=x", "''=x", "'x", "plain"])
def test_no_text_is_a_formula_in_a_package_and_it_comes_back(estate: StandIns, api: APIClient, text: str) -> None:
    Machine.objects.filter(name="payroll").update(os=text)
    content = package(WHEN)
    cell = next(row["os"] for row in tables_of(content)["machines"] if row["name"] == "payroll")
    assert not re.match(r"[=+@-]", cell)
    unlink_all()
    assert send(api, content).json()["imported"]
    assert Machine.objects.get(name="payroll").os == text
