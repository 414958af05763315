"""Secrets that are shown once and kept as digests: 256 random bits need no slow hash."""

from __future__ import annotations

import hashlib
import secrets

BYTES = 32


def new_secret(prefix: str = "") -> str:
    """A secret that goes into links and headers as it is."""
    return prefix + secrets.token_urlsafe(BYTES)


def digest_of(secret: str) -> str:
    """What is kept of a secret."""
    return hashlib.sha256(secret.encode()).hexdigest()
