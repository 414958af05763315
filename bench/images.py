"""How long an image of 1 GiB takes from its file to a datastore, on stand-ins: opened, written, read back."""

from __future__ import annotations

import os
import tempfile
import time
from pathlib import Path

from bench.estimates import link_all, timed_lot
from bench.sites import fresh_site

MIB, GIB = 1024**2, 1024**3
# In stretches of 1 MiB, evenly over the disk.
DATA_BYTES = 256 * MIB


def report() -> None:
    from django.conf import settings

    with fresh_site(pace=20.0) as standins, tempfile.TemporaryDirectory() as folder:
        settings.IMAGE_FOLDER = folder
        link_all(standins)
        image, opened = _brought_in()
        _kind, _said, kept = timed_lot("keep_image", {"image": image, "datastore": _berth()})
    print(f"image of 1 GiB, {DATA_BYTES // MIB} MiB of it data: compared and opened {opened:.1f} s, ", end="")
    print(f"written and read back {kept:.1f} s (aim 60 s together)")


def _brought_in() -> tuple[int, float]:
    from movelot.accounts.models import User
    from movelot.images.jobs import BringIn
    from movelot.images.models import Image
    from movelot.images.receiving import incoming
    from movelot.jobs.models import Job
    from movelot.jobs.work import do

    ines = User.objects.get()
    image = Image.objects.create(
        name="large", source="large.raw", uploaded=True, state=Image.State.RECEIVED, by=ines.username
    )
    _write(incoming(image))
    job = Job.objects.create(kind=BringIn.name, params={"image": image.pk}, asked_by=ines)
    begun = time.perf_counter()
    do(job.pk)
    seconds = time.perf_counter() - begun
    image.refresh_from_db()
    assert image.state == Image.State.CHECKED, image.reason
    return image.pk, seconds


def _write(path: Path) -> None:
    with path.open("wb") as file:
        file.truncate(GIB)
        for offset in range(0, GIB, GIB // (DATA_BYTES // MIB)):
            file.seek(offset)
            file.write(os.urandom(MIB))


def _berth() -> int:
    from movelot.inventory.models import Datastore

    return Datastore.objects.get(name="berth-b").pk
