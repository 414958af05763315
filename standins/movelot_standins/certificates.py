"""A self-signed certificate for each device, made at first start."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta
from ipaddress import ip_address
from pathlib import Path

from cryptography import x509
from cryptography.hazmat.primitives import hashes, serialization
from cryptography.hazmat.primitives.asymmetric import ec
from cryptography.x509.oid import NameOID

VALID_DAYS = 3650


def ensure(folder: Path, name: str, address: str, renew: bool = False) -> tuple[Path, Path]:
    """Paths of the certificate and key of device ``name`` at ``address``; made if missing or to be renewed."""
    certificate, key_file = folder / f"{name}.crt", folder / f"{name}.key"
    if certificate.exists() and key_file.exists() and not renew:
        return certificate, key_file
    key = ec.generate_private_key(ec.SECP256R1())
    subject = x509.Name(
        [
            x509.NameAttribute(NameOID.COMMON_NAME, name),
            x509.NameAttribute(NameOID.ORGANIZATION_NAME, "Kestrel Bay Port"),
        ]
    )
    now = datetime.now(UTC)
    built = (
        x509.CertificateBuilder()
        .subject_name(subject)
        .issuer_name(subject)
        .public_key(key.public_key())
        .serial_number(x509.random_serial_number())
        .not_valid_before(now - timedelta(days=1))
        .not_valid_after(now + timedelta(days=VALID_DAYS))
        .add_extension(x509.SubjectAlternativeName([x509.IPAddress(ip_address(address)), x509.DNSName(name)]), False)
        .add_extension(x509.BasicConstraints(ca=True, path_length=0), True)
        .sign(key, hashes.SHA256())
    )
    folder.mkdir(parents=True, exist_ok=True)
    key_file.touch(mode=0o600)
    key_file.write_bytes(
        key.private_bytes(serialization.Encoding.PEM, serialization.PrivateFormat.PKCS8, serialization.NoEncryption())
    )
    certificate.write_bytes(built.public_bytes(serialization.Encoding.PEM))
    return certificate, key_file
