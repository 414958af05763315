"""Linking a device: show its certificate, pin it once a person has compared the fingerprint, prove the account."""

from __future__ import annotations

from urllib.parse import urlsplit

from movelot.devices.certificate import Shown, shown_by
from movelot.devices.errors import DeviceError
from movelot.devices.reading import reread
from movelot.devices.sealing import seal
from movelot.devices.session import ROOT, DeviceSession, Resource
from movelot.inventory.models import Device
from movelot.problems import Problem

UNCHANGED = "No device was linked."


def clean_address(text: str) -> str:
    """An address as https://host:port. Raises Problem for anything else."""
    parts = urlsplit(text.strip() if "://" in text else f"https://{text.strip()}")
    try:
        port = parts.port
    except ValueError:
        port = -1
    if parts.scheme != "https" or not parts.hostname or port == -1 or parts.path.strip("/"):
        raise Problem(
            422,
            "address_unreadable",
            f"“{text.strip()}” is not an address of a device.",
            UNCHANGED,
            "Write https://address:port.",
        )
    return f"https://{parts.hostname}:{port or 443}"


def probe(address: str) -> Shown:
    """The certificate that the device at ``address`` shows. Raises Problem when nothing answers."""
    try:
        return shown_by(clean_address(address))
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
    kind = Device.Kind.ARRAY if "Storage" in root else Device.Kind.HOST if "Systems" in root else None
    if kind is None:
        raise Problem(
            422,
            "kind_unknown",
            "This device is neither an array nor a hypervisor host.",
            UNCHANGED,
            "Check the address.",
        )
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
    reread([device])
    device.refresh_from_db()
    return device


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
