"""CHAP as devices are told it: our words for its methods, and secrets opened at the last moment."""

from __future__ import annotations

from typing import Any

from movelot.devices.sealing import unseal
from movelot_core.fabric.chap import Chap

METHODS = {Chap.OFF: "None", Chap.ONE_WAY: "CHAP", Chap.MUTUAL: "MutualCHAP"}
WORDS = {said: method for method, said in METHODS.items()}
FIELDS = {"user": "UserName", "secret": "Secret", "target_user": "TargetUser", "target_secret": "TargetSecret"}


def chap_word(said: str) -> str:
    """Our word for a method that a device names; its own where we know none."""
    return str(WORDS.get(said, said))


def chap_body(wanted: dict[str, Any]) -> dict[str, str]:
    """``wanted`` as a device is told it; its secrets are sealed, as text."""
    body = {"Method": METHODS[Chap(wanted["method"])]}
    for part, name in FIELDS.items():
        if part in wanted:
            body[name] = unseal(wanted[part].encode()) if part.endswith("secret") else wanted[part]
    return body
