"""Prints the link by which the first administrator comes into being, while there is none."""

from typing import Any

from django.conf import settings
from django.core.management.base import BaseCommand

from movelot.accounts.invitations import invite, invite_the_first
from movelot.accounts.models import Role, User
from movelot.accounts.people_views import link_of


class Command(BaseCommand):
    help = "Print a one-time link for the first administrator, or with --again for one who has lost the password."

    def add_arguments(self, parser: Any) -> None:
        parser.add_argument("--again", metavar="NAME", help="an administrator who needs a new link")

    def handle(self, *_args: Any, **options: Any) -> None:
        if options["again"]:
            person = User.objects.get(username=options["again"], role=Role.ADMINISTRATOR)
            secret: str | None = invite(person)
        else:
            secret = invite_the_first()
        if secret:
            self.stdout.write(f"http://{settings.ALLOWED_HOSTS[0]}:{settings.WEB_PORT}{link_of(secret)}")
