"""All that a new version of the code wants done before it starts, in one process: each takes seconds to come up."""

from typing import Any

from django.core.management import call_command
from django.core.management.base import BaseCommand

from movelot.inventory.changes import everything_changed


class Command(BaseCommand):
    help = "Bring the database's schema up to date, collect the static files, and let old answers go."

    def handle(self, *_args: Any, **_options: Any) -> None:
        call_command("migrate", interactive=False, verbosity=0)
        call_command("collectstatic", interactive=False, clear=True, verbosity=0)
        # Answers that the code of before computed may have another form.
        everything_changed()
