"""Images from the depot and by upload, up to new machines' disks: what is data arrives, what is wrong is refused."""

from __future__ import annotations

import errno
import hashlib
import json
import struct
import tarfile
from collections.abc import Iterator
from io import BytesIO
from pathlib import Path
from typing import Any

import pytest
from rest_framework.test import APIClient

from conftest import StandIns
from movelot.accounts.models import User
from movelot.devices.blocks import digest_of
from movelot.devices.models import AllowedNetwork
from movelot.devices.session import session_with
from movelot.images import jobs, receiving
from movelot.images.jobs import BringIn
from movelot.images.models import Depot, Image, ImageDisk
from movelot.images.open_image import Refused, opened
from movelot.images.receiving import incoming
from movelot.inventory.image_copies import copy_of, folder
from movelot.inventory.models import Datastore, Device, Disk, Machine, StoredImage
from movelot.jobs.models import Job
from movelot.jobs.work import Running, do
from movelot.lots.models import Lot
from server.tests.conftest import drafted, run_to_end

GIB = 1024**3
# Of the depot's images.
SIZE = GIB // 4


@pytest.fixture
def depot(estate: StandIns, settings: Any, tmp_path: Path) -> Iterator[str]:
    """The stand-ins' depot, allowed; copies are kept in a folder of the test's own."""
    settings.IMAGE_FOLDER = str(tmp_path / "images")
    receiving.WAIT_SECONDS, before = 0.0, receiving.WAIT_SECONDS
    card = json.loads((estate.folder / "depot.json").read_text())
    Depot.objects.create(url=card["url"], certificate_pem=Path(card["certificate"]).read_text(), added_by="demo")
    yield card["url"]
    receiving.WAIT_SECONDS = before


def brought(api: APIClient, **form: Any) -> dict[str, Any]:
    """The image as it is once its job has ended."""
    answer = api.post("/api/images/", form, format="json")
    assert answer.status_code == 201, answer.json()
    return worked_on(api, answer.json()["id"])


def worked_on(api: APIClient, image: int) -> dict[str, Any]:
    """The image once a worker has done its job."""
    do(Job.objects.get(params={"image": image}).pk)
    found: dict[str, Any] = api.get(f"/api/images/{image}/").json()
    return found


def test_a_sparse_image_is_received_compared_and_its_contents_are_kept_apart(
    api: APIClient, estate: StandIns, depot: str
) -> None:
    name = "harbour-linux.qcow2"
    found = brought(api, name="harbour-linux", url=depot + name, checksum=f"SHA256:{estate.sums()[name]}")
    assert (found["state"], found["format"], found["note"]) == ("checked", "qcow2", "checksum as it was given")
    (disk,) = found["disks"]
    assert (disk["size_bytes"], disk["data_bytes"]) == (SIZE, 4 * 1024**2)
    raw = copy_of(ImageDisk.objects.get().content)
    assert hashlib.sha256(raw.read_bytes()).hexdigest() == disk["sha256"]
    assert raw.stat().st_blocks * 512 < 16 * 1024**2
    assert not incoming(Image.objects.get()).exists()


@pytest.mark.parametrize(
    ("name", "form", "said"),
    [
        ("quay-overlay.qcow2", {}, "The image lies on another one, harbour-linux.qcow2"),
        (
            "tide-gauge.qcow2",
            {"checksum": "wrong"},
            "was given: it is damaged, or another file. Nothing of it is kept.",
        ),
        ("missing.qcow2", {}, "The depot answers 404 for missing.qcow2, and no file."),
        # The descriptor is there, and a disk that it names is not.
        ("light-keeper.ovf", {}, "The depot answers 404 for light-keeper-disk1.img, and no file."),
        ("SHA256SUMS", {}, "and with 843 bytes no raw disk: those have whole sectors."),
    ],
)
def test_what_is_not_taken_says_why_and_leaves_nothing(
    api: APIClient, estate: StandIns, depot: str, name: str, form: dict[str, str], said: str
) -> None:
    form = {"checksum": estate.sums()[name]} if form else {}
    found = brought(api, name="wrong", url=depot + name, **form)
    assert found["state"] == "failed"
    assert said in found["reason"]
    assert list(folder().iterdir()) == []


def test_a_depot_that_breaks_off_is_asked_for_the_rest(api: APIClient, estate: StandIns, depot: str) -> None:
    name = "reefer-agent.qcow2"
    found = brought(api, name="reefer-agent", url=depot + name, checksum=estate.sums()[name])
    assert (found["state"], found["reason"]) == ("checked", "")


def test_what_an_earlier_worker_received_is_gone_on_with(api: APIClient, estate: StandIns, depot: str) -> None:
    """Half of it is there, under the tag that the depot gave it; the depot is asked for no more than the rest."""
    name = "gate-terminal.qcow2"
    whole = (estate.folder / "depot" / name).read_bytes()
    image = Image.objects.create(name="gate", source=depot + name, by="x", file_bytes=len(whole))
    receiving.fetch(image, lambda _done, _total: None)
    incoming(image).write_bytes(b"\1" * 1000)
    receiving.fetch(image, lambda _done, _total: None)
    assert incoming(image).read_bytes() == b"\1" * 1000 + whole[1000:]
    image.tag = '"another"'
    incoming(image).write_bytes(b"\1" * 1000)
    receiving.fetch(image, lambda _done, _total: None)
    assert incoming(image).read_bytes() == whole


def test_only_depots_that_are_allowed_are_asked(api: APIClient, depot: str, estate: StandIns) -> None:
    for url in ("https://127.0.0.1:1/x.qcow2", depot.replace("https", "http") + "a", depot + "../x", depot):
        answer = api.post("/api/images/", {"name": "other", "url": url}, format="json")
        assert (answer.status_code, answer.json()["code"]) == (422, "depot_unknown"), url
    AllowedNetwork.objects.update(cidr="10.0.0.0/8")
    found = brought(api, name="other", url=depot + "harbour-linux.qcow2")
    assert found["reason"] == "Devices may not be at 127.40.0.50."
    AllowedNetwork.objects.update(cidr="127.40.0.0/16")
    Depot.objects.update(certificate_pem=Device.objects.get(name="granite").certificate_pem)
    found = brought(api, name="another", url=depot + "harbour-linux.qcow2")
    assert "its certificate is not the one that was added" in found["reason"]


def test_a_package_is_read_with_its_descriptor(api: APIClient, depot: str) -> None:
    found = brought(api, name="berth-scribe", url=f"{depot}berth-scribe.ova")
    assert (found["format"], found["os"], found["processors"]) == ("ova", "Linux 6.1", 2)
    assert (found["memory_bytes"], found["note"]) == (2 * GIB, "checksum computed here: nobody said what it has to be")
    assert [(disk["size_bytes"], disk["data_bytes"]) for disk in found["disks"]] == [
        (4 * SIZE, 2 * 1024**2),
        (2 * SIZE, 1024**2),
    ]


def test_a_package_in_single_files_is_put_together(api: APIClient, estate: StandIns, depot: str) -> None:
    found = brought(api, name="pilot-log", url=f"{depot}pilot-log.ovf", checksum=estate.sums()["pilot-log.ovf"])
    assert (found["state"], found["reason"]) == ("checked", "")
    assert (found["format"], found["os"], found["processors"], found["memory_bytes"]) == (
        *("ovf", "Linux 6.1", 1),
        GIB,
    )
    assert [(disk["size_bytes"], disk["data_bytes"]) for disk in found["disks"]] == [(SIZE, 1024**2)] * 2
    # Of what was fetched nothing is left but the disks.
    assert sorted(folder().iterdir()) == sorted(copy_of(disk.content) for disk in ImageDisk.objects.all())


def test_a_descriptor_alone_is_not_uploaded(api: APIClient, estate: StandIns, depot: str) -> None:
    text = (estate.folder / "depot" / "pilot-log.ovf").read_bytes()
    found = uploaded(api, text, len(text), name="pilot-log")
    assert found["state"] == "failed"
    assert "upload the whole package (.ova)" in found["reason"]
    assert list(folder().iterdir()) == []


def uploaded(api: APIClient, data: bytes, part: int, **form: Any) -> dict[str, Any]:
    """The image whose file was sent in parts of this size."""
    form = {"name": "sent", "file_name": "sent.img", "file_bytes": len(data), **form}
    image = api.post("/api/images/", form, format="json").json()["id"]
    for at in range(0, len(data), part):
        answer = api.put(
            f"/api/images/{image}/part/?at={at}", data[at : at + part], content_type="application/octet-stream"
        )
        assert answer.status_code == 200, answer.json()
    return worked_on(api, image)


def test_a_file_is_uploaded_in_parts_and_each_goes_on_where_the_last_one_ended(api: APIClient, depot: str) -> None:
    data = b"\0" * 4096 + b"data" * 1024 + b"\0" * 1024**2
    digest = hashlib.md5(data, usedforsecurity=False).hexdigest()
    found = uploaded(api, data, 512 * 1024, checksum=digest)
    assert (found["state"], found["format"]) == ("checked", "raw")
    assert found["note"] == "checksum compared by MD5, which finds damage and no forgery"
    assert found["disks"][0]["sha256"] == hashlib.sha256(data).hexdigest()
    image = api.post("/api/images/", {"name": "half", "file_name": "h", "file_bytes": 1024}, format="json").json()["id"]
    path = f"/api/images/{image}/part/?at="
    assert api.put(f"{path}0", b"x" * 512, content_type="application/octet-stream").json()["received_bytes"] == 512
    again = api.put(f"{path}0", b"x" * 512, content_type="application/octet-stream")
    assert (again.status_code, again.json()["title"]) == (409, "512 bytes of it are here.")
    beyond = api.put(f"{path}512", b"x" * 513, content_type="application/octet-stream")
    assert (beyond.status_code, beyond.json()["code"]) == (413, "part_size")


def _package(descriptor: str) -> bytes:
    out = BytesIO()
    with tarfile.open(fileobj=out, mode="w") as tar:
        entry = tarfile.TarInfo("evil.ovf")
        entry.size = len(descriptor)
        tar.addfile(entry, BytesIO(descriptor.encode()))
    return out.getvalue()


BOMB = "<!DOCTYPE x [" + "".join(f'<!ENTITY e{n + 1} "{f"&e{n};" * 10}">' for n in range(12)) + "]><x>&e12;</x>"
HOSTILE = {
    "a page": (b"<html>not found</html>".ljust(1024), "a text, as a page"),
    "an archive": (b"PK\x03\x04".ljust(1024, b"\1"), "a ZIP archive"),
    "a header alone": (b"QFI\xfb\0\0\0\2".ljust(512, b"\0"), "The qcow2 image is damaged"),
    "a huge disk": (struct.pack(">4sIQIIQ", b"QFI\xfb", 2, 0, 0, 16, 2**62).ljust(1024, b"\0"), ""),
    "a package without disks": (_package("<Envelope/>"), "The package lacks disks."),
    "a bomb": (_package(BOMB), "The package's descriptor cannot be read."),
    "a descriptor that leads elsewhere": (
        b'<Envelope xmlns="http://schemas.dmtf.org/ovf/envelope/1" xmlns:ovf="http://schemas.dmtf.org/ovf/envelope/1">'
        b'<References><File ovf:id="f" ovf:href="../../people.json"/></References></Envelope>',
        "they have to lie beside it",
    ),
    "a bomb alone": (BOMB.encode(), "a text, as a page"),
    "a table of noise": (b"KDMV" + bytes(range(256)) * 6, "The disk of a package is damaged"),
}


@pytest.mark.parametrize("what", HOSTILE)
def test_hostile_files_are_refused_in_a_sentence(api: APIClient, depot: str, what: str) -> None:
    data, said = HOSTILE[what]
    found = uploaded(api, data, 1024**2)
    assert found["state"] == "failed"
    assert said in found["reason"]
    assert "Traceback" not in found["reason"]
    assert list(folder().iterdir()) == []


def kept(api: APIClient, user: User, depot: str, name: str = "harbour-linux.qcow2", store: str = "berth-b") -> Lot:
    found = brought(api, name=name.partition(".")[0], url=depot + name)
    form = {"image": found["id"], "datastore": Datastore.objects.get(name=store).pk}
    return run_to_end(drafted("keep_image", user, **form))


def test_a_machine_is_made_of_an_image_and_its_disk_has_the_very_data(
    api: APIClient, ines: User, estate: StandIns, depot: str
) -> None:
    lot = kept(api, ines, depot)
    assert lot.state == Lot.State.DONE
    assert [(row["figure"], row["measured"]) for row in lot.outcome["rows"]] == [
        ("disks of the image", 1),
        ("bytes written", 4 * 1024**2),
        ("copies on Move Lot's machine", 0),
    ]
    image = api.get("/api/images/").json()["images"][0]
    assert (image["state"], image["disks"][0]["datastore"]) == ("ready", "berth-b")
    assert list(folder().iterdir()) == []
    (source,) = api.get("/api/images/sources/").json()
    disks = [{"contents": f"image:{source['id']}"}, {"size": "20"}]
    made = drafted("new_machine", ines, cluster="quayside", name="crane-plan-01", disks=disks)
    assert [step.kind for step in made.steps.order_by("position")].count("fill_disk") == 1
    done = run_to_end(made)
    assert done.state == Lot.State.DONE
    on = {step.kind: step for step in done.steps.all()}
    assert on["power_on"].started_at > on["fill_disk"].ended_at
    disk = Disk.objects.get(name="crane-plan-01 disk 1")
    assert (disk.size_bytes, disk.written_bytes) == (SIZE, 4 * 1024**2)
    assert api.get("/api/images/").json()["images"][0]["used_by"] == 1
    run_to_end(drafted("power", ines, machines=[disk.machine.pk], to="off"))
    session = session_with(disk.machine.host)
    assert digest_of(session, disk.identity, SIZE) == image["disks"][0]["sha256"]


def test_a_copy_that_was_spoiled_on_its_way_is_not_taken_for_the_image(api: APIClient, ines: User, depot: str) -> None:
    found = brought(api, name="harbour-linux", url=f"{depot}harbour-linux.qcow2")
    with copy_of(ImageDisk.objects.get().content).open("r+b") as file:
        file.seek(1000)
        file.write(b"spoiled")
    store = Datastore.objects.get(name="berth-b").pk
    lot = run_to_end(drafted("keep_image", ines, image=found["id"], datastore=store))
    assert lot.state == Lot.State.FAILED
    assert "reads back as other data" in lot.steps.get(kind="write_image").problem["message"]


def test_what_an_image_is_on_is_deleted_by_a_lot_once_its_name_is_typed(api: APIClient, ines: User, depot: str) -> None:
    kept(api, ines, depot)
    image = Image.objects.get()
    refused = api.delete(f"/api/images/{image.pk}/")
    assert (refused.status_code, refused.json()["title"]) == (
        409,
        "berth-b keeps it: delete it there first, by a lot.",
    )
    untyped = drafted("delete_image", ines, image=image.pk)
    assert [check["text"] for check in untyped.checks if check["level"] == "stop"] == [
        "Type harbour-linux to say that it is meant."
    ]
    run_to_end(drafted("delete_image", ines, image=image.pk, confirm="harbour-linux"))
    assert not StoredImage.objects.exists()
    assert api.get(f"/api/images/{image.pk}/").json()["state"] == "gone"
    assert api.delete(f"/api/images/{image.pk}/").status_code == 204


def test_a_machine_is_copied_from_one_that_is_off(api: APIClient, ines: User, estate: StandIns) -> None:
    payroll = Machine.objects.get(name="payroll")
    source = payroll.disks.order_by("name").first()
    assert source is not None
    form = {"cluster": "quayside", "name": "payroll-test", "then": "off", "disks": [{"contents": f"disk:{source.pk}"}]}
    runs = drafted("new_machine", ines, **form)
    assert [check["text"] for check in runs.checks if check["level"] == "stop"] == [
        f"payroll is on: a copy of {source.name} would be of no one moment. Switch it off first."
    ]
    run_to_end(drafted("power", ines, machines=[payroll.pk], to="off"))
    lot = run_to_end(drafted("new_machine", ines, **form))
    assert lot.state == Lot.State.DONE
    made = Disk.objects.get(name="payroll-test disk 1")
    source.refresh_from_db()
    assert (made.filled_from, made.size_bytes, made.written_bytes) == (
        source.identity,
        source.size_bytes,
        source.written_bytes,
    )


def test_a_disk_is_not_smaller_than_what_it_is_made_from(api: APIClient, ines: User, estate: StandIns) -> None:
    source = Disk.objects.get(name="payroll disk 1")
    form = {"cluster": "quayside", "name": "small", "disks": [{"size": "1", "contents": f"disk:{source.pk}"}]}
    said = drafted("new_machine", ines, **form).plan["problems"]
    assert [(each["field"], each["code"]) for each in said] == [("disks.0.size", "size_small")]
    form["disks"] = [{"size": "1", "contents": "image:0"}]
    said = drafted("new_machine", ines, **form).plan["problems"]
    assert [(each["field"], each["code"]) for each in said] == [("disks.0.contents", "contents_unknown")]


def test_an_image_that_is_deleted_while_it_is_brought_in_leaves_nothing(api: APIClient, depot: str) -> None:
    url = f"{depot}harbour-linux.qcow2"
    image = api.post("/api/images/", {"name": "other", "url": url}, format="json").json()["id"]
    job = Job.objects.get(params={"image": image})
    assert api.delete(f"/api/images/{image}/").status_code == 204
    job.refresh_from_db()
    assert job.state == Job.State.CANCELLED
    gone = Image.objects.create(name="late", source=url, by="x")
    work = Running(Job.objects.create(kind=BringIn.name, params={"image": gone.pk}))
    work.progress = lambda *_told: Image.objects.filter(pk=gone.pk).delete()  # type: ignore[method-assign,assignment]
    BringIn().do(work)
    assert list(folder().iterdir()) == []


def test_that_this_machine_is_full_is_said(api: APIClient, depot: str, monkeypatch: pytest.MonkeyPatch) -> None:
    def full(*_args: Any) -> None:
        raise OSError(errno.ENOSPC, "No space left on device")

    monkeypatch.setattr(jobs, "check_sum", full)
    found = brought(api, name="other", url=f"{depot}harbour-linux.qcow2")
    assert found["reason"] == "Move Lot's own machine could not keep the file: No space left on device."
    assert list(folder().iterdir()) == []


def test_a_full_disk_is_not_taken_for_a_damaged_image(
    estate: StandIns, monkeypatch: pytest.MonkeyPatch, tmp_path: Path
) -> None:
    def full(*_args: Any) -> None:
        raise OSError(errno.ENOSPC, "No space left on device")

    monkeypatch.setattr("os.pwrite", full)
    source = estate.folder / "depot" / "harbour-linux.qcow2"
    said = pytest.raises(Refused, match="own machine could not keep the disk: No space left on device")
    with source.open("rb") as file, (tmp_path / "out").open("wb") as out, said:
        opened(file, [out.fileno()], 2**40)


def test_hosts_list_images_that_others_made_and_no_longer_those_that_are_gone(ines: User, estate: StandIns) -> None:
    from movelot.devices import host
    from movelot.devices.reading import reread

    quay = Device.objects.get(name="quay-01")
    store = Datastore.objects.get(name="berth-c")
    sizes = {"CapacityBytes": GIB, "WrittenBytes": 0}
    host.act(session_with(quay), "MakeImage", Name="by-hand", Key="k1", Datastore=store.identity, **sizes)
    reread([quay])
    found = StoredImage.objects.get()
    assert (found.name, found.datastore, found.size_bytes) == ("by-hand", store, GIB)
    host.act(session_with(quay), "DeleteImage", Image=found.identity)
    reread([quay])
    assert not StoredImage.objects.exists()
