"""Where devices may be, what an address may look like, accounts that change, and keys that are replaced."""

from __future__ import annotations

from pathlib import Path
from typing import Any
from urllib.parse import urlsplit

import pytest
from cryptography.fernet import Fernet
from django.core.management import CommandError, call_command
from hypothesis import given
from hypothesis import strategies as st
from pytest_django.fixtures import Settings
from rest_framework.test import APIClient

from conftest import StandIns
from movelot.accounts.models import User
from movelot.devices import linking
from movelot.devices.linking import clean_address
from movelot.devices.models import AllowedNetwork
from movelot.devices.networks import demand_allowed
from movelot.devices.sealing import seal, unseal
from movelot.inventory.models import Device, Reading
from movelot.inventory.store import unlink
from movelot.lots.models import Step
from movelot.problems import Problem
from server.tests.conftest import drafted, signed_in

ODD = [
    "https://[",
    "https://[::1",
    "http://quay-01",
    "https://u:p@quay-01",
    "https://quay-01/redfish",
    "https://quay-01?x=1",
    "https://quay-01:99999",
    "https://quay-01:port",
    f"https://{'x' * 64}.example",
    "https://" + ".".join(["x" * 60] * 5),
    "https://..",
    "",
]


@pytest.mark.parametrize("typed", ODD)
def test_what_is_no_address_is_refused_with_the_reason(estate: StandIns, api: APIClient, typed: str) -> None:
    body = {"url": typed, "user": "u", "password": "p", "fingerprint": "AA"}
    answer = api.post("/api/devices/", body, format="json")
    assert answer.status_code in (400, 422), answer.content
    assert api.post("/api/devices/probe/", {"url": typed}, format="json").status_code in (400, 422)


@given(st.text(max_size=80))
def test_any_text_is_an_address_or_is_refused(typed: str) -> None:
    try:
        url = clean_address(typed)
    except Problem:
        return
    parts = urlsplit(url)
    assert (parts.scheme, parts.path, parts.query, parts.username) == ("https", "", "", None)
    assert parts.hostname
    assert parts.port


def test_an_address_of_the_sixth_version_keeps_its_brackets() -> None:
    assert clean_address("https://[2001:db8::7]:8443") == "https://[2001:db8::7]:8443"
    assert clean_address("[2001:db8::7]") == "https://[2001:db8::7]:443"


@pytest.mark.parametrize(
    ("host", "allowed", "may"),
    [
        ("10.20.0.7", [], True),
        ("2001:db8::7", [], True),
        ("127.0.0.1", [], False),
        ("127.40.0.10", [], False),
        ("169.254.169.254", [], False),
        ("0.0.0.0", [], False),
        ("::1", [], False),
        ("fe80::1", [], False),
        ("::ffff:127.0.0.1", [], False),
        ("localhost", [], False),
        ("2130706433", [], False),
        ("127.0.0.1", ["127.0.0.0/8"], True),
        ("::ffff:127.0.0.1", ["127.0.0.0/8"], True),
        ("10.20.0.7", ["10.20.0.0/16", "fd00::/8"], True),
        ("10.21.0.7", ["10.20.0.0/16", "fd00::/8"], False),
        ("2001:db8::7", ["10.20.0.0/16", "fd00::/8"], False),
    ],
)
def test_where_devices_may_be(db: None, host: str, allowed: list[str], may: bool) -> None:
    AllowedNetwork.objects.all().delete()
    for cidr in allowed:
        AllowedNetwork.objects.create(cidr=cidr)
    if may:
        demand_allowed(host, 443)
        return
    with pytest.raises(Problem) as refused:
        demand_allowed(host, 443)
    assert refused.value.code == "address_not_allowed"


def test_nothing_is_sent_to_where_no_device_may_be(estate: StandIns, api: APIClient) -> None:
    AllowedNetwork.objects.all().delete()
    url = Device.objects.filter(kind="host")[0].url
    answer = api.post("/api/devices/probe/", {"url": url}, format="json")
    assert (answer.status_code, answer.json()["code"]) == (422, "address_not_allowed")


def test_an_administrator_keeps_the_networks(estate: StandIns) -> None:
    una = signed_in("una.keel")
    made = una.post("/api/networks/", {"cidr": " 10.20.0.0/16 ", "note": "arrays"}, format="json")
    assert (made.status_code, made.json()["cidr"], made.json()["added_by"]) == (201, "10.20.0.0/16", "una.keel")
    assert una.post("/api/networks/", {"cidr": "10.20.0.0/16"}, format="json").status_code == 409
    for odd in ("10.20.0.1/16", "10.20.0.0/33", "arrays"):
        assert una.post("/api/networks/", {"cidr": odd}, format="json").json()["code"] == "network_unreadable"
    assert una.delete(f"/api/networks/{made.json()['id']}/").status_code == 204
    assert not AllowedNetwork.objects.filter(cidr="10.20.0.0/16").exists()


def card_of(estate: StandIns, name: str) -> dict[str, str]:
    return estate.cards[name]


def test_a_link_that_fails_in_the_middle_leaves_no_device(
    estate: StandIns, api: APIClient, monkeypatch: pytest.MonkeyPatch
) -> None:
    device = Device.objects.get(name="quay-01")
    body = {"url": device.url, "user": device.user, "fingerprint": device.fingerprint}
    body["password"] = card_of(estate, "quay-01")["password"]
    unlink(device)

    def broken(*_args: Any) -> None:
        raise RuntimeError("whatever it was")

    with monkeypatch.context() as middle:
        middle.setattr(linking, "reread", broken)
        answer = api.post("/api/devices/", body, format="json")
    assert answer.status_code == 500
    assert not Device.objects.filter(name="quay-01").exists()
    assert api.post("/api/devices/", body, format="json").status_code == 201


def test_an_account_is_changed_once_the_device_takes_it(estate: StandIns, api: APIClient) -> None:
    device = Device.objects.get(name="quay-01")
    card, path = card_of(estate, "quay-01"), f"/api/devices/{device.pk}/account/"
    wrong = api.put(path, {"user": card["user"], "password": "wrong"}, format="json")
    assert (wrong.status_code, wrong.json()["code"]) == (502, "device_refused")
    device.refresh_from_db()
    assert unseal(device.sealed_password) == card["password"]
    before = Reading.objects.filter(device=device).count()
    device.sealed_password = seal("forgotten")
    device.save()
    answer = api.put(path, {"user": card["user"], "password": card["password"]}, format="json")
    assert (answer.status_code, answer.json()["state"]) == (200, "linked")
    assert Reading.objects.filter(device=device).count() == before + 1


def test_what_answers_at_an_address_is_told_to_those_only_who_may_link(estate: StandIns, api: APIClient) -> None:
    Device.objects.filter(name="quay-01").update(state=Device.State.AWAY, detail="Connection refused.")

    def told(client: APIClient) -> str:
        return next(str(row["detail"]) for row in client.get("/api/devices/").json() if row["name"] == "quay-01")

    assert told(api) == "Connection refused."
    assert told(signed_in("auditor")) == told(signed_in("una.keel")) == "cannot be read"


@pytest.fixture
def key_file(settings: Settings, tmp_path: Path) -> Path:
    """A copy of the key file, which may be changed."""
    copy = tmp_path / "devices"
    copy.write_text(settings.DEVICE_SECRET_KEY_FILE.read_text())
    settings.DEVICE_SECRET_KEY_FILE = copy
    return copy


def test_a_key_is_replaced_and_every_secret_is_still_read(estate: StandIns, ines: User, key_file: Path) -> None:
    card = card_of(estate, "quay-01")
    lot = drafted("chap", ines, cluster="quayside", array="basalt", method="mutual")
    sealed = [step.params for step in lot.steps.all() if "gAAAA" in repr(step.params)]
    assert sealed
    call_command("rotate_key")
    first, _second = key_file.read_text().split()
    assert key_file.stat().st_mode & 0o777 == 0o600
    call_command("rotate_key", "--forget")
    assert key_file.read_text().split() == [first]
    assert unseal(Device.objects.get(name="quay-01").sealed_password) == card["password"]
    again = [step.params for step in Step.objects.filter(lot=lot) if "gAAAA" in repr(step.params)]
    assert len(again) == len(sealed)
    assert again != sealed


def test_an_old_key_stays_while_anything_needs_it(estate: StandIns, key_file: Path) -> None:
    old = key_file.read_text().split()
    key_file.write_text("\n".join([Fernet.generate_key().decode(), *old]))
    with pytest.raises(CommandError, match="rotate_key first"):
        call_command("rotate_key", "--forget")
    assert key_file.read_text().split()[1:] == old
