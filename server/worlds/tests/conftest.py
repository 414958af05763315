"""Tests on small worlds, each made for its test: no stand-ins, nothing that other tests read."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

import pytest
from django.core.cache import cache
from rest_framework.test import APIClient

from movelot.accounts.models import Role, User
from movelot.inventory.changes import everything_changed
from movelot.inventory.models import (
    BalanceGroup,
    Cluster,
    Datastore,
    Device,
    Disk,
    Label,
    Machine,
    Pool,
    ShareDay,
    Volume,
)
from server.tests.conftest import signed_in
from server.worlds.tests.world import World, person


@pytest.fixture
def world(db: None) -> Iterator[World]:
    """An empty world: whatever else this database was used for is not there."""
    models: list[Any] = [Label, Disk, Machine, Datastore, Volume, Pool, Device, BalanceGroup, Cluster, ShareDay]
    for model in models:
        getattr(model, "known", model._default_manager).all().delete()
    cache.clear()
    everything_changed()
    yield World()
    cache.clear()


@pytest.fixture
def ines(db: None) -> User:
    """Of the virtualization team."""
    return person("ines.marrow", Role.VIRTUALIZATION)


@pytest.fixture
def api(ines: User) -> APIClient:
    """The API as ines sees it, CSRF enforced."""
    return signed_in(ines.username)
