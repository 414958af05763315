"""The stand-ins linked and granted, and the two people who act on them."""

from __future__ import annotations

from conftest import StandIns
from movelot.accounts.models import Role, User
from movelot.devices.management.commands.link_standins import grant_pools
from movelot.devices.models import AllowedNetwork
from movelot.devices.reading import collect
from movelot.inventory.models import Device, Grant, Pool
from server.tests.conftest import link_card


def linked(standins: StandIns) -> tuple[User, User]:
    """Link every stand-in, learn from its history, and grant what lots of all kinds need. Returns the two."""
    AllowedNetwork.objects.create(cidr="127.0.0.0/8")
    for card in standins.cards.values():
        link_card(card)
    collect(Device.objects.all())
    grant_pools()
    Grant.objects.get_or_create(pool=Pool.objects.get(name="chalk-one"), defaults={"granted_by": "tobias.wren"})
    return (
        User.objects.create(username="ines.marrow", role=Role.VIRTUALIZATION),
        User.objects.create(username="tobias.wren", role=Role.STORAGE),
    )
