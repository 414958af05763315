"""Jobs: what every kind keeps to, and files, cancelling and repeats on an export and import of a small world."""

from __future__ import annotations

from dataclasses import is_dataclass
from typing import Any

import pytest
from rest_framework.test import APIClient

from movelot.accounts.models import Role, User
from movelot.exchange.jobs import start_with
from movelot.inventory.models import Device
from movelot.jobs import work
from movelot.jobs.models import FilePart, Job
from server.tests.conftest import signed_in
from server.worlds.tests.world import World, person


@pytest.mark.parametrize("kind", sorted(work.KINDS))
def test_every_kind_keeps_the_contract(kind: str, api: APIClient) -> None:
    """Its name fits, what it comes to is told in the schema, and its queue is one that a worker takes from."""
    import yaml

    import processes
    from conftest import ROOT

    found = work.KINDS[kind]
    assert (found.name, len(kind) <= Job._meta.get_field("kind").max_length) == (kind, True)
    assert is_dataclass(found.result)
    schema = yaml.safe_load((ROOT / "server" / "openapi.yaml").read_text())["components"]["schemas"]
    told = {entry["$ref"].rsplit("/", 1)[1] for entry in schema["JobResult"]["oneOf"]}
    assert found.result.__name__ in told
    assert found.queue in {queue for queues, _ in processes.WORKERS.values() for queue in queues.split(",")}


@pytest.fixture
def package(world: World, api: APIClient) -> bytes:
    """A small world as a package; nothing of it is linked any more."""
    world.array("flint", fast=10)
    world.host("quay-1")
    world.datastore("berth", [world.volume("flint", "fast", "v1", 4, ["quay-1"])], 4, 0.5, ["quay-1"])
    world.machine("ledger", "quay-1", a=("berth", 900))
    world.read()
    made = api.post("/api/exchange/package/export/").json()
    content = b"".join(api.get(made["file"]).streaming_content)
    Device.known.all().delete()
    return content


def job_of(content: bytes, person: User, **more: Any) -> Job:
    return start_with("import_package", content, person, **{"dry_run": False, **more})


def test_the_same_file_asked_for_twice_is_one_job_and_another_is_another(package: bytes, ines: User) -> None:
    first = job_of(package, ines)
    assert job_of(package, ines).pk == first.pk
    assert job_of(package, ines, dry_run=True).pk != first.pk
    assert job_of(package + b" ", ines).pk != first.pk
    tobias = person("tobias.wren", Role.STORAGE)
    assert job_of(package, tobias).pk != first.pk


def test_one_that_is_cancelled_before_it_stores_stores_nothing_and_keeps_no_file(package: bytes, ines: User) -> None:
    waiting, begun = job_of(package, ines), job_of(package + b" ", ines)
    work.cancel(waiting)
    Job.objects.filter(pk=begun.pk).update(cancel_asked=True)
    for job in (waiting, begun):
        work.do(job.pk)
        job.refresh_from_db()
        assert (job.state, job.result) == (Job.State.CANCELLED, {})
    assert not Device.objects.exists()
    assert not FilePart.objects.filter(out=False).exists()


def test_one_that_fails_tells_its_problem_and_keeps_no_file(world: World, ines: User, api: APIClient) -> None:
    job = job_of(b"not a zip", ines)
    work.do(job.pk)
    told = api.get(f"/api/jobs/{job.pk}/").json()
    assert (told["state"], told["problem"]["code"], told["result"]) == ("failed", "no_package", None)
    assert not FilePart.objects.filter(job=job).exists()


def test_what_a_job_made_is_fetched_by_whoever_may_read(package: bytes, api: APIClient) -> None:
    person("auditor", Role.AUDITOR)
    (job,) = Job.objects.filter(kind="export_package")
    file = signed_in("auditor").get(f"/api/jobs/{job.pk}/file/")
    assert (file.status_code, b"".join(file.streaming_content)) == (200, package)
    assert api.get(f"/api/jobs/{job.pk + 1000}/file/").status_code == 404


def test_links_are_sealed_while_they_wait(world: World, api: APIClient, ines: User) -> None:
    from movelot.exchange.jobs import start_rows

    text = "address,user,password,fingerprint\nhttps://10.0.0.1,root,sesame-open,AA"
    job = start_rows(text, "csv", True, ines)
    assert b"sesame" not in b"".join(bytes(part.content) for part in job.parts.all())
    assert "sesame" not in str(job.params)
    work.do(job.pk)
    assert not job.parts.exists()
