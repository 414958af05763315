"""Replaces the key that seals secrets in the database: a new one first, all sealed anew, then the old ones go."""

from __future__ import annotations

import os
from collections.abc import Callable, Iterator
from contextlib import suppress
from pathlib import Path
from typing import Any

from cryptography.fernet import Fernet, InvalidToken
from django.conf import settings
from django.core.management.base import BaseCommand, CommandError
from django.db import transaction

from movelot.devices.sealing import seal_anew, unseal
from movelot.inventory.models import Device
from movelot.jobs.models import Job
from movelot.lots.models import Lot, LotVersion, Step
from movelot_core.units import count_of

# How everything that Fernet seals begins, as its first byte is a version and the next are zero for a long time to come.
SEALED = "gAAAA"
DOCUMENTS = {Step: ("params", "result"), Lot: ("plan", "form", "origin", "facts"), LotVersion: ("form",)}


class Command(BaseCommand):
    help = "Seal all secrets with a new key; with --forget take the old keys out of the file, once nothing needs them."

    def add_arguments(self, parser: Any) -> None:
        parser.add_argument("--forget", action="store_true", help="take out all keys but the first")

    def handle(self, *_args: Any, **options: Any) -> None:
        file = settings.DEVICE_SECRET_KEY_FILE
        keys = file.read_text().split()
        if options["forget"]:
            _demand_that_first_is_enough(keys[0])
            _write(file, keys[:1])
            self.stdout.write(f"{count_of(len(keys) - 1, 'old key')} taken out of {file}.")
            return
        # From here on every process seals with the new key, and reads with both.
        _write(file, [Fernet.generate_key().decode(), *keys])
        count = sum(_seal_device(device) for device in Device.known.exclude(sealed_password=b""))
        for model, name, pk, _document in _with_secrets():
            _seal_document(model, name, pk)
            count += 1
        self.stdout.write(
            f"{count_of(count, 'row')} sealed with a new key. Old ones still read; --forget takes them out."
        )


def _write(file: Path, keys: list[str]) -> None:
    """Whole or not at all, and readable by its owner only."""
    fresh = file.with_suffix(".new")
    fresh.unlink(missing_ok=True)
    with os.fdopen(os.open(fresh, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600), "w") as written:
        written.write("\n".join([*keys, ""]))
    fresh.replace(file)


def _seal_device(device: Device) -> int:
    # Only where it is still the one that was read: a person may change it meanwhile, with the new key.
    old = bytes(device.sealed_password)
    return Device.known.filter(pk=device.pk, sealed_password=old).update(sealed_password=seal_anew(old))


def _with_secrets() -> Iterator[tuple[Any, str, int, Any]]:
    """Documents with a sealed text in them, or what looks like one: model, field, primary key and document."""
    for model, names in DOCUMENTS.items():
        for name in names:
            rows: Any = model._default_manager.filter(**{f"{name}__icontains": SEALED})
            yield from ((model, name, pk, document) for pk, document in rows.values_list("pk", name))


def _seal_document(model: Any, name: str, pk: int) -> None:
    with transaction.atomic():
        row = model._default_manager.select_for_update().get(pk=pk)
        setattr(row, name, _each_secret(getattr(row, name), lambda secret: seal_anew(secret.encode()).decode()))
        row.save(update_fields=[name])


def _each_secret(value: Any, act: Callable[[str], str]) -> Any:
    """A document with every sealed text in it put through ``act``. A text that no key opens only looks like one."""
    if isinstance(value, dict):
        return {name: _each_secret(part, act) for name, part in value.items()}
    if isinstance(value, list):
        return [_each_secret(part, act) for part in value]
    if isinstance(value, str) and value.startswith(SEALED):
        with suppress(InvalidToken):
            unseal(value.encode())
            return act(value)
    return value


def _demand_that_first_is_enough(key: str) -> None:
    """CommandError where something was sealed with an older key; a file that waits to be imported is sealed too."""
    if Job.objects.filter(state__in=[Job.State.WAITING, Job.State.RUNNING]).exists():
        raise CommandError("Jobs are under way; try again once they have ended. No key was taken out.")
    first = Fernet(key.encode())

    def opened(secret: str) -> str:
        try:
            first.decrypt(secret.encode())
        except InvalidToken as error:
            raise CommandError("Not everything is sealed with the first key; run rotate_key first.") from error
        return secret

    for device in Device.known.exclude(sealed_password=b""):
        opened(bytes(device.sealed_password).decode())
    for _model, _name, _pk, document in _with_secrets():
        _each_secret(document, opened)
