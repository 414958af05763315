"""Secrets at rest: Fernet (AES-128-CBC with HMAC-SHA256) under keys in a file outside the database.

The file has a key a line: the first seals, all of them unseal. So a key is replaced without a moment at which something
cannot be read (``manage.py rotate_key``).
"""

from cryptography.fernet import Fernet, MultiFernet
from django.conf import settings


def _fernet() -> MultiFernet:
    return MultiFernet([Fernet(key.encode()) for key in settings.DEVICE_SECRET_KEY_FILE.read_text().split()])


def seal(password: str) -> bytes:
    return _fernet().encrypt(password.encode())


def unseal(sealed: bytes) -> str:
    """The password; raises cryptography.fernet.InvalidToken if it was sealed with none of the keys in the file."""
    return _fernet().decrypt(bytes(sealed)).decode()


def seal_anew(sealed: bytes) -> bytes:
    """The same secret under the first key."""
    return _fernet().rotate(bytes(sealed))
