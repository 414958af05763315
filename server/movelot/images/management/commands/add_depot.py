"""Allows the made-up port's depot of disk images, which a file that the stand-ins wrote tells of."""

import json
from pathlib import Path
from typing import Any

from django.core.management.base import BaseCommand, CommandParser

from movelot.images.models import Depot


class Command(BaseCommand):
    help = "Allow the depot that FILE tells of, with its certificate."

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("file", type=Path)

    def handle(self, *_args: Any, file: Path, **_options: Any) -> None:
        told = json.loads(file.read_text())
        pem = Path(told["certificate"]).read_text()
        Depot.objects.update_or_create(url=told["url"], defaults={"certificate_pem": pem, "added_by": "demo"})
        self.stdout.write(f"{told['url']} is allowed")
