"""Adds the people of the demo, once: passwords are made then, and kept in a file under the run folder."""

import json
import secrets
from typing import Any

from django.conf import settings
from django.core.management.base import BaseCommand
from django.db import transaction

from movelot.accounts.models import Role, User

PEOPLE = {
    "ines.marrow": Role.VIRTUALIZATION,
    "tobias.wren": Role.STORAGE,
    "auditor": Role.AUDITOR,
    "una.keel": Role.ADMINISTRATOR,
}


class Command(BaseCommand):
    help = "Add the demo's people with new passwords, unless there is anybody already."

    def handle(self, *_args: Any, **_options: Any) -> None:
        if User.objects.exists():
            return
        file = settings.RUN / "keys" / "people.json"
        made = {name: secrets.token_urlsafe(12) for name in PEOPLE}
        # Before anybody is there: they are made once, and nobody could tell their passwords afterwards.
        file.touch(mode=0o600)
        file.write_text(json.dumps(made))
        with transaction.atomic():
            for name, role in PEOPLE.items():
                User.objects.create_user(name, password=made[name], role=role)
