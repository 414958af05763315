"""Adds the people of the demo with passwords made at first use and kept in a file under the run folder."""

import json
import secrets
from typing import Any

from django.conf import settings
from django.core.management.base import BaseCommand

from movelot.accounts.models import Role, User

PEOPLE = {"ines.marrow": Role.VIRTUALIZATION, "tobias.wren": Role.STORAGE, "auditor": Role.AUDITOR}


class Command(BaseCommand):
    help = "Add ines.marrow, tobias.wren and auditor; prints their sign-ins."

    def handle(self, *_args: Any, **_options: Any) -> None:
        file = settings.RUN / "keys" / "people.json"
        known: dict[str, str] = json.loads(file.read_text()) if file.exists() else {}
        for name, role in PEOPLE.items():
            password = known.setdefault(name, secrets.token_urlsafe(12))
            user, _ = User.objects.get_or_create(username=name, defaults={"role": role})
            if not user.check_password(password):
                user.role = role
                user.set_password(password)
                user.save()
            self.stdout.write(f"{name}  {password}  ({role})")
        file.touch(mode=0o600)
        file.write_text(json.dumps(known))
