"""Whom a device session speaks to: who shows the pinned certificate, whoever signed it, and nobody else."""

from __future__ import annotations

import json
import ssl
import threading
from collections.abc import Callable, Iterator
from datetime import UTC, datetime, timedelta
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from ipaddress import ip_address
from pathlib import Path

import pytest
from cryptography import x509
from cryptography.hazmat.primitives import hashes, serialization
from cryptography.hazmat.primitives.asymmetric import ec
from cryptography.x509.oid import NameOID

from movelot.devices.certificate import described
from movelot.devices.errors import CertificateChanged, DeviceOdd
from movelot.devices.session import ROOT, DeviceSession

YEAR = timedelta(days=365)
Key = ec.EllipticCurvePrivateKey
SESSIONS = "/redfish/v1/SessionService/Sessions"


def certificate(
    key: Key, signed_by: tuple[x509.Certificate, Key] | None = None, *, age: timedelta = YEAR / 2, names: bool = True
) -> x509.Certificate:
    """A certificate valid for a year, which is ``age`` old; its own where nobody else signed it, and then a CA's."""
    name = x509.Name([x509.NameAttribute(NameOID.COMMON_NAME, "made up")])
    issuer, signer = (signed_by[0].subject, signed_by[1]) if signed_by else (name, key)
    begun = datetime.now(UTC) - age
    built = (
        x509.CertificateBuilder()
        .subject_name(name)
        .issuer_name(issuer)
        .public_key(key.public_key())
        .serial_number(x509.random_serial_number())
        .not_valid_before(begun)
        .not_valid_after(begun + YEAR)
        .add_extension(x509.BasicConstraints(ca=signed_by is None, path_length=None), critical=True)
    )
    if names:
        built = built.add_extension(x509.SubjectAlternativeName([x509.IPAddress(ip_address("127.0.0.1"))]), False)
    return built.sign(signer, hashes.SHA256())


class Device:
    """A device that notes what is asked of it, and may lead elsewhere."""

    def __init__(self, folder: Path, shown: x509.Certificate, key: Key, leads_to: str = "") -> None:
        self.asked: list[str] = []
        device = self

        class Handler(BaseHTTPRequestHandler):
            protocol_version = "HTTP/1.1"

            def answer(self) -> None:
                device.asked.append(f"{self.command} {self.path}")
                self.rfile.read(int(self.headers.get("Content-Length") or 0))
                led = leads_to and self.path.rstrip("/") != ROOT and not self.path.startswith(SESSIONS)
                self.send_response(302 if led else 201 if self.command == "POST" else 200)
                body = json.dumps({"Name": "made up", "Links": {"Sessions": {"@odata.id": SESSIONS}}}).encode()
                if led:
                    self.send_header("Location", leads_to)
                if self.command == "POST":
                    self.send_header("X-Auth-Token", "made-up-token")
                    self.send_header("Location", f"{SESSIONS}/1")
                self.send_header("Content-Length", str(len(body)))
                self.end_headers()
                self.wfile.write(body)

            do_GET = do_POST = answer  # names of the library

            def log_message(self, format: str, *args: object) -> None:
                pass

        pem = folder / "shown.pem"
        pem.write_bytes(
            shown.public_bytes(serialization.Encoding.PEM)
            + key.private_bytes(
                serialization.Encoding.PEM, serialization.PrivateFormat.PKCS8, serialization.NoEncryption()
            )
        )
        context = ssl.SSLContext(ssl.PROTOCOL_TLS_SERVER)
        context.load_cert_chain(pem)
        self.server = ThreadingHTTPServer(("127.0.0.1", 0), Handler)
        self.server.socket = context.wrap_socket(self.server.socket, server_side=True)
        threading.Thread(target=self.server.serve_forever, daemon=True).start()

    @property
    def url(self) -> str:
        return f"https://127.0.0.1:{self.server.server_address[1]}"

    def session(self, pinned: x509.Certificate) -> DeviceSession:
        return DeviceSession("made up", self.url, "mover", "a-password", described(pinned).fingerprint)


@pytest.fixture
def device(tmp_path: Path) -> Iterator[Callable[..., Device]]:
    made: list[Device] = []

    def make(shown: x509.Certificate, key: Key, leads_to: str = "") -> Device:
        folder = tmp_path / str(len(made))
        folder.mkdir()
        made.append(Device(folder, shown, key, leads_to))
        return made[-1]

    yield make
    for each in made:
        each.server.shutdown()
        each.server.server_close()


def new_key() -> Key:
    return ec.generate_private_key(ec.SECP256R1())


@pytest.mark.parametrize("how", ["signed by a CA", "expired", "without names"])
def test_a_certificate_that_was_compared_is_enough(device: Callable[..., Device], how: str) -> None:
    key, authority = new_key(), new_key()
    signer = (certificate(authority), authority) if how == "signed by a CA" else None
    shown = certificate(key, signer, age=2 * YEAR if how == "expired" else YEAR / 2, names=how != "without names")
    assert device(shown, key).session(shown).get(ROOT)["Name"] == "made up"


def test_a_pinned_certificate_vouches_for_no_other(device: Callable[..., Device]) -> None:
    """One that may sign others is pinned; who shows a certificate signed by it is sent nothing."""
    authority, key = new_key(), new_key()
    pinned = certificate(authority)
    other = device(certificate(key, (pinned, authority)), key)
    with pytest.raises(CertificateChanged):
        other.session(pinned).get(ROOT)
    assert other.asked == []


def test_a_device_leads_nowhere(device: Callable[..., Device]) -> None:
    key = new_key()
    shown = certificate(key)
    elsewhere = device(shown, key)
    leading = device(shown, key, leads_to=f"{elsewhere.url}/redfish/v1/Systems")
    with pytest.raises(DeviceOdd, match="leads to another address"):
        leading.session(shown).get("/redfish/v1/Systems")
    assert elsewhere.asked == []
