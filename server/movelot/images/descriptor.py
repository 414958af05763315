"""A package whose descriptor and disks are single files of a depot: fetched one by one, and put together as one.

What they are put together to is an OVA, a tar with the descriptor first, which is opened like any other.
"""

from __future__ import annotations

import tarfile
from collections.abc import Callable, Sequence
from pathlib import Path
from urllib.parse import quote, urljoin

from django.conf import settings

from movelot.images.models import Image
from movelot.images.opening import DISKS_MAX
from movelot.images.receiving import Download, ImageRefused, Tell, download, incoming
from movelot_core.units import format_size

Said = Callable[[str], Tell]


def package_of(image: Image, wants: Sequence[str], said: Said) -> Path:
    """The package of an image whose file is a descriptor that names ``wants``. Raises ImageRefused.

    ``said`` gives for each file's name whom to tell how far it is. What was fetched is deleted, whatever happens.
    """
    if image.uploaded:
        raise ImageRefused("This is a descriptor alone: upload the whole package (.ova), or bring it in from a depot.")
    if len(wants) > DISKS_MAX:
        raise ImageRefused(f"The descriptor names {len(wants)} files; {DISKS_MAX} are the most.")
    parts = [incoming(image).with_suffix(f".part-{number}") for number in range(len(wants))]
    package = incoming(image).with_suffix(".package")
    try:
        left = settings.IMAGE_FILE_MOST_BYTES
        for name, path in zip(wants, parts, strict=True):
            # One that was left by a worker that died may be of another version of the file.
            path.unlink(missing_ok=True)
            download(Download(urljoin(image.source, quote(name)), path, left), said(name))
            left -= path.stat().st_size
            if left <= 0:
                most = format_size(settings.IMAGE_FILE_MOST_BYTES)
                raise ImageRefused(f"The files of the package have more than {most} together.")
        with tarfile.open(package, "w", format=tarfile.PAX_FORMAT) as tar:
            tar.add(incoming(image), "package.ovf")
            for name, path in zip(wants, parts, strict=True):
                tar.add(path, name)
    except BaseException:
        package.unlink(missing_ok=True)
        raise
    finally:
        for path in parts:
            path.unlink(missing_ok=True)
    return package
