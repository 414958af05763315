"""Passwords of devices at rest: Fernet (AES-128-CBC with HMAC-SHA256) under a key file outside the database."""

from cryptography.fernet import Fernet
from django.conf import settings


def _fernet() -> Fernet:
    return Fernet(settings.DEVICE_SECRET_KEY_FILE.read_text().strip().encode())


def seal(password: str) -> bytes:
    return _fernet().encrypt(password.encode())


def unseal(sealed: bytes) -> str:
    """The password; raises cryptography.fernet.InvalidToken if the key file is not the one it was sealed with."""
    return _fernet().decrypt(bytes(sealed)).decode()
