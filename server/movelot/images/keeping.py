"""Lots that keep an image on a datastore, and that delete it there."""

from __future__ import annotations

from dataclasses import dataclass

from movelot.images.models import Image, ImageDisk
from movelot.inventory import image_copies
from movelot.inventory.models import Datastore, Device, Disk, StoredImage, Volume
from movelot.lots.documents import LotForm, LotPlan
from movelot.lots.kinds import PASS, STOP, WARN, Check, Draft, LotKind, MeasuredRow
from movelot.lots.models import Lot
from movelot.lots.step_plan import StepPlan
from movelot.lots.steps.images import DeleteImage, MakeImage, WriteImage
from movelot_core.units import count_of, format_size

# What a host takes in over its management network, until lots have taught better.
WRITE_BYTES_PER_SECOND = 50 * 1024**2


@dataclass(frozen=True)
class KeepImageForm(LotForm):
    """An image and the datastore that is to keep it, by primary keys."""

    image: int = 0
    datastore: int = 0


@dataclass
class ImagePlan(LotPlan):
    """The image, its datastore by name, and its disks' data."""

    image: str
    datastore: str
    contents: list[str]
    data_bytes: int


class KeepImageKind(LotKind[KeepImageForm, ImagePlan]):
    """Makes each disk of an image on a datastore, writes it, reads it back; the copies here then go."""

    name, form, plan = "keep_image", KeepImageForm, ImagePlan

    def drafted(self, form: KeepImageForm, lot: Lot) -> Draft[KeepImageForm, ImagePlan]:
        image = Image.objects.filter(pk=form.image, state=Image.State.CHECKED).first()
        store = Datastore.objects.filter(pk=form.datastore).first()
        if image is None or store is None:
            text = "Choose a checked image, and a datastore that is there."
            return Draft("Keep an image", checks=[Check("image and datastore are known", STOP, text)])
        disks, host = list(image.disks.all()), _host_of(store)
        plan = ImagePlan(image.name, store.name, [disk.content for disk in disks], sum(d.data_bytes for d in disks))
        checks = _keep_checks(disks, store, host, plan)
        steps = StepPlan()
        if host is not None:
            for disk in disks:
                _keep(steps, disk, store, host)
        # Room is checked anew at each look; that it changes a little is no reason to stop.
        facts = {"datastore": store.name, "host": host.name if host else ""}
        return Draft(f"Keep image {image.name} on {store.name}", steps, plan, checks, facts)

    def outcome(self, lot: Lot, plan: ImagePlan) -> list[MeasuredRow]:
        """What the hosts list of it, and that no copy is left here."""
        stored = StoredImage.objects.filter(key__in=plan.contents)
        listed = sum(stored.values_list("written_bytes", flat=True))
        if stored.count() == len(plan.contents):
            for content in plan.contents:
                image_copies.drop(content)
        left = sum(image_copies.copy_of(content).exists() for content in plan.contents)
        return [
            MeasuredRow("datastore", plan.datastore, "disks of the image", 0, len(plan.contents), stored.count()),
            MeasuredRow("datastore", plan.datastore, "bytes written", 0, plan.data_bytes, listed),
            MeasuredRow("image", plan.image, "copies on Move Lot's machine", len(plan.contents), 0, left),
        ]


def _host_of(store: Datastore) -> Device | None:
    """The host that it is written over: the first by name that mounts it and answers."""
    hosts = Device.objects.filter(mounts__datastore=store, state=Device.State.LINKED)
    return hosts.order_by("name").first()


def _keep(steps: StepPlan, disk: ImageDisk, store: Datastore, host: Device) -> None:
    name = disk.stored_name
    make = MakeImage(
        name=name,
        content=disk.content,
        size_bytes=disk.size_bytes,
        data_bytes=disk.data_bytes,
        datastore=store.identity,
        datastore_name=store.name,
    )
    made = steps.add(make.on(host.name, f"Make image {name} on {store.name}", format_size(disk.size_bytes)))
    write = WriteImage(
        name=name,
        image=made.result.identity,
        content=disk.content,
        sha256=disk.sha256,
        size_bytes=disk.size_bytes,
        data_bytes=disk.data_bytes,
    )
    seconds = max(1.0, 2 * disk.data_bytes / WRITE_BYTES_PER_SECOND)
    detail = f"{format_size(disk.data_bytes)} of data, zeros left out, over {host.name}"
    steps.add(write.on(host.name, f"Write image {name}", detail, seconds=seconds), made)


def _keep_checks(disks: list[ImageDisk], store: Datastore, host: Device | None, plan: ImagePlan) -> list[Check]:
    checks = []
    if host is None:
        checks.append(Check("a host to write over", STOP, f"No host that answers mounts {store.name}."))
    if Volume.objects.filter(serial__in=store.serials, kind=Volume.Kind.SET).exists():
        text = f"{store.name} keeps volumes of disks, and no files. Choose a datastore on a volume or an export."
        checks.append(Check("keeps files", STOP, text))
    gone = [disk.stored_name for disk in disks if not image_copies.copy_of(disk.content).exists()]
    if gone:
        text = f"The copy of {', '.join(gone)} is no longer on Move Lot's machine. Bring the image in again."
        checks.append(Check("copies are here", STOP, text))
    names = [disk.stored_name for disk in disks]
    taken = sorted(StoredImage.objects.filter(datastore=store, name__in=names).values_list("name", flat=True))
    if taken:
        checks.append(Check("names are free", STOP, f"{store.name} has images named {', '.join(taken)} already."))
    room = f"{format_size(plan.data_bytes)} of data; {store.name} has {format_size(store.free_bytes)} free"
    checks.append(Check("room", STOP if plan.data_bytes > store.free_bytes else PASS, room))
    return checks


@dataclass(frozen=True)
class DeleteImageForm(LotForm):
    """An image by primary key, and its name typed to say that it is meant."""

    image: int = 0
    confirm: str = ""


class DeleteImageKind(LotKind[DeleteImageForm, ImagePlan]):
    """Deletes what datastores keep of an image; disks that were made of it stay."""

    name, form, plan = "delete_image", DeleteImageForm, ImagePlan

    def drafted(self, form: DeleteImageForm, lot: Lot) -> Draft[DeleteImageForm, ImagePlan]:
        image = Image.objects.filter(pk=form.image).first()
        contents = list(image.disks.values_list("content", flat=True)) if image else []
        stored = list(StoredImage.objects.filter(key__in=contents).select_related("datastore"))
        if image is None or not stored:
            text = "Choose an image that a datastore keeps."
            return Draft("Delete an image", checks=[Check("image is known", STOP, text)])
        store = stored[0].datastore
        plan = ImagePlan(image.name, store.name, contents, sum(each.written_bytes for each in stored))
        title = f"Delete image {image.name} on {store.name}"
        host = _host_of(store)
        checks = [] if host else [Check("a host to ask", STOP, f"No host that answers mounts {store.name}.")]
        if form.confirm != image.name:
            checks.append(Check("it is meant", STOP, f"Type {image.name} to say that it is meant."))
        made = Disk.objects.filter(filled_from__in=[each.identity for each in stored]).count()
        if made:
            text = f"{count_of(made, 'disk was', 'disks were')} made of it, and stay as they are."
            checks.append(Check("what was made of it", WARN, text))
        checks.append(Check("room", PASS, f"{format_size(plan.data_bytes)} come back to {store.name}"))
        steps = StepPlan()
        for each in stored if host else ():
            delete = DeleteImage(name=each.name, content=each.key)
            steps.add(delete.on(host.name if host else "", f"Delete image {each.name}", f"on {store.name}"))
        return Draft(title, steps, plan, checks, {"images": ", ".join(sorted(each.name for each in stored))})

    def outcome(self, lot: Lot, plan: ImagePlan) -> list[MeasuredRow]:
        """That no host lists any of it."""
        left = StoredImage.objects.filter(key__in=plan.contents).count()
        return [MeasuredRow("datastore", plan.datastore, "disks of the image", len(plan.contents), 0, left)]
