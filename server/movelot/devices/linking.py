"""Linking a device: show its certificate, pin it once a person has compared the fingerprint, prove the account."""

from __future__ import annotations

from urllib.parse import urlsplit

from movelot.devices.certificate import Shown, shown_by
from movelot.devices.errors import DeviceError
from movelot.devices.networks import demand_allowed
from movelot.devices.reading import reread
from movelot.devices.sealing import seal
from movelot.devices.session import ROOT, DeviceSession, Resource
from movelot.inventory.models import Device
from movelot.inventory.store import unlink
from movelot.problems import Problem

UNCHANGED = "No device was linked."
HOST_MAX = 253
NAME_MAX = 64


def clean_address(text: str) -> str:
    """An address as https://host:port. Raises Problem for anything else."""
    typed = text.strip()
    try:
        parts = urlsplit(typed if "://" in typed else f"https://{typed}")
        host, port = parts.hostname or "", parts.port or 443
        # A name of a host has labels of at most 63 characters; an address in brackets is checked by urlsplit.
        fits = ":" in host or 0 < len(host.encode("idna")) <= HOST_MAX
    except ValueError:
        fits = False
    if not fits or parts.scheme != "https" or parts.username or parts.query or parts.fragment or parts.path.strip("/"):
        message = f"“{typed[:80]}” is not an address of a device."
        raise Problem(422, "address_unreadable", message, UNCHANGED, "Write https://address:port.")
    return f"https://{f'[{host}]' if ':' in host else host}:{port}"


def probe(address: str) -> Shown:
    """The certificate that the device at ``address`` shows. Problem when nothing answers, or it may not be there."""
    url = clean_address(address)
    parts = urlsplit(url)
    try:
        demand_allowed(parts.hostname or "", parts.port or 443)
        return shown_by(url)
    except DeviceError as error:
        raise Problem(
            502, error.code, error.message, UNCHANGED, "Check address, port and the network between."
        ) from error


def link(address: str, user: str, password: str, fingerprint: str) -> Device:
    """Pin the certificate if it has the compared ``fingerprint``, prove the account, read, and keep the link."""
    url, shown = clean_address(address), probe(address)
    if shown.fingerprint != fingerprint.strip().upper():
        raise Problem(
            409,
            "fingerprint_differs",
            "The device shows another certificate than the one compared.",
            f"Compared {fingerprint}; shown {shown.fingerprint}. {UNCHANGED}",
            "Compare the fingerprint again, at the device itself.",
        )
    if Device.objects.filter(url=url).exists():
        raise Problem(
            409, "linked_already", f"A device at {url} is linked already.", UNCHANGED, "Open it under Devices."
        )
    session = DeviceSession(url, url, user, password, shown.fingerprint)
    try:
        root = session.get(ROOT)
    except DeviceError as error:
        raise Problem(502, error.code, error.message, UNCHANGED, "Check the account and try again.") from error
    kind = _kind_of(root)
    if Device.objects.filter(name=root["Name"], state=Device.State.IMPORTED).exists():
        raise Problem(
            409,
            "imported_already",
            f"{root['Name']} is known from a file already.",
            UNCHANGED,
            "Import a package without it first.",
        )
    device = _known_before(kind, root) or Device(kind=kind)
    if Device.objects.filter(name=root["Name"]).exclude(pk=device.pk).exists():
        # Lots, forms and findings call a device by its name: two of one name could not be told apart.
        raise Problem(
            409,
            "name_taken",
            f"A device named {root['Name']} is linked already.",
            UNCHANGED,
            "Give one of the two another name, at the device itself.",
        )
    device.name, device.identity, device.url, device.user = root["Name"], str(root.get("UUID") or ""), url, user
    device.sealed_password, device.certificate_pem, device.fingerprint = seal(password), shown.pem, shown.fingerprint
    device.gone_at, device.unlinked, device.state = None, 0, Device.State.LINKED
    device.save()
    try:
        reread([device])
    except Exception:
        # Whatever it was, nobody is left with a link that they were told is not there.
        unlink(device)
        raise
    device.refresh_from_db()
    return device


def change_account(device: Device, user: str, password: str) -> None:
    """Use another account from now on, once the device takes it; then read the device. Problem where it does not."""
    session = DeviceSession(device.name, device.address, user, password, device.fingerprint)
    try:
        session.get(ROOT)
    except DeviceError as error:
        kept = f"{device.name} is still read as {device.user}."
        raise Problem(502, error.code, error.message, kept, "Check the account and try again.") from error
    device.user, device.sealed_password = user, seal(password)
    device.save(update_fields=["user", "sealed_password"])
    reread([device])
    device.refresh_from_db()


def _kind_of(root: Resource) -> str:
    """Whether a device is an array or a host. Problem for one that is neither, or that has no name to be called by."""
    if not isinstance(root.get("Name"), str) or not 0 < len(root["Name"]) <= NAME_MAX:
        message = "This device does not say its name, or one that is too long."
        raise Problem(502, "device_odd", message, UNCHANGED, "Set its name, at the device itself.")
    if "Storage" in root:
        return Device.Kind.ARRAY
    if "Systems" in root:
        return Device.Kind.HOST
    message = "This device is neither an array nor a hypervisor host."
    raise Problem(422, "kind_unknown", message, UNCHANGED, "Check the address.")


def _known_before(kind: str, root: Resource) -> Device | None:
    """The row of a device that was linked, or came from a file, and is not there now: its history goes on."""
    gone = Device.known.filter(gone_at__isnull=False, kind=kind).order_by("-gone_at")
    by_identity = gone.filter(identity=root["UUID"]).first() if root.get("UUID") else None
    return by_identity or gone.filter(identity="", name=root["Name"]).first()


def pin_again(device: Device, fingerprint: str) -> None:
    """Trust the certificate the device shows now, once its fingerprint was compared; then read the device."""
    shown = probe(device.address)
    if shown.fingerprint != fingerprint.strip().upper():
        raise Problem(
            409,
            "fingerprint_differs",
            "The device shows another certificate than the one compared.",
            f"Shown {shown.fingerprint}. The old pin stays.",
            "Compare the fingerprint again, at the device itself.",
        )
    device.certificate_pem, device.fingerprint = shown.pem, shown.fingerprint
    # How it is now is for the reading to say, and to tell those who judge it.
    device.save(update_fields=["certificate_pem", "fingerprint"])
    reread([device])
    device.refresh_from_db()
