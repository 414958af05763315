"""Links the stand-ins that are listed in a file of JSON cards, comparing each certificate with the card's own copy."""

import json
from pathlib import Path
from typing import Any

from django.core.management.base import BaseCommand, CommandParser

from movelot.devices.certificate import fingerprint_of
from movelot.devices.linking import link
from movelot.devices.models import AllowedNetwork
from movelot.devices.reading import collect, reread
from movelot.inventory.models import Device, Grant, Pool
from movelot_core.units import TIB, count_of

# What the made-up port's storage team grants: a part of granite-fast, of basalt what is used of it, the others whole.
GRANTED_BYTES = {"granite-fast": 16 * TIB, "granite-mixed": None, "shale-home": None, "shale-deep": None}
GRANTED_AS_USED = ("basalt-deep", "basalt-bulk")
# What that team says these pools bear, in reads of 8 KiB a second: they are hardly used, so that nothing seen tells.
BORNE = {"shale-home": 6000.0, "shale-deep": 1500.0, "basalt-deep": 3000.0, "basalt-bulk": 1000.0}


def grant_pools() -> None:
    """Grant the pools of the made-up port that are not granted yet, and say how much load those bear that are idle."""
    for pool in Pool.objects.filter(name__in=[*GRANTED_BYTES, *GRANTED_AS_USED]):
        quota = pool.subscribed_bytes if pool.name in GRANTED_AS_USED else GRANTED_BYTES[pool.name]
        Grant.objects.get_or_create(pool=pool, defaults={"quota_bytes": quota, "granted_by": "tobias.wren"})
    for name, load in BORNE.items():
        Pool.objects.filter(name=name, allowed_load=None).update(allowed_load=load)


class Command(BaseCommand):
    help = "Link the stand-ins listed in FILE and read them; those linked already are read again."

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("file", type=Path)

    def handle(self, *_args: Any, file: Path, **_options: Any) -> None:
        # The made-up port is on this machine, where devices may not be otherwise.
        AllowedNetwork.objects.get_or_create(cidr="127.40.0.0/16", defaults={"note": "stand-ins", "added_by": "demo"})
        known = list(Device.objects.all())
        urls = {device.url for device in known}
        for card in json.loads(file.read_text()):
            if card["url"] not in urls:
                pem = Path(card["certificate"]).read_text()
                link(card["url"], card["user"], card["password"], fingerprint_of(pem))
        # Those that were linked just now have been read.
        failed = reread(known)
        for error in failed.values():
            self.stderr.write(error.message)
        grant_pools()
        count = collect(Device.objects.filter(state=Device.State.LINKED))
        self.stdout.write(f"{count_of(Device.objects.count(), 'device')} linked, {count_of(count, 'sample')} collected")
