"""The certificate a device shows, for a person to compare and for us to pin."""

from __future__ import annotations

import socket
import ssl
from dataclasses import dataclass
from datetime import datetime
from urllib.parse import urlsplit

from cryptography import x509
from cryptography.hazmat.primitives import hashes, serialization
from django.conf import settings

from movelot.devices.errors import DeviceAway


@dataclass(frozen=True)
class Shown:
    """A certificate as shown: PEM, SHA-256 fingerprint (AA:BB:…), subject and dates."""

    pem: str
    fingerprint: str
    subject: str
    not_before: datetime
    not_after: datetime


def shown_by(url: str) -> Shown:
    """Fetch the certificate that ``url`` shows, trusting nothing yet. Raises DeviceAway."""
    parts = urlsplit(url)
    context = ssl.SSLContext(ssl.PROTOCOL_TLS_CLIENT)
    context.check_hostname = False
    context.verify_mode = ssl.CERT_NONE
    try:
        with (
            socket.create_connection((parts.hostname, parts.port or 443), settings.DEVICE_TIMEOUT_SECONDS) as plain,
            context.wrap_socket(plain, server_hostname=parts.hostname) as wrapped,
        ):
            der = wrapped.getpeercert(binary_form=True)
    except OSError as error:
        raise DeviceAway(url, f"Nothing answers at {url}: {error.strerror or error}.") from error
    return described(x509.load_der_x509_certificate(der or b""))


def described(certificate: x509.Certificate) -> Shown:
    digest = certificate.fingerprint(hashes.SHA256()).hex().upper()
    return Shown(
        certificate.public_bytes(serialization.Encoding.PEM).decode(),
        ":".join(digest[n : n + 2] for n in range(0, len(digest), 2)),
        certificate.subject.rfc4514_string(),
        certificate.not_valid_before_utc,
        certificate.not_valid_after_utc,
    )


def fingerprint_of(pem: str) -> str:
    return described(x509.load_pem_x509_certificate(pem.encode())).fingerprint
