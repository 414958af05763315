"""CHAP (RFC 1994, RFC 7143 section 12): how an initiator and a target prove to one another who they are at a login."""

from __future__ import annotations

from collections.abc import Mapping
from enum import StrEnum


class Chap(StrEnum):
    """Who has to prove a secret: nobody, the initiator, or both, each with a secret of its own."""

    OFF = "off"
    ONE_WAY = "one-way"
    MUTUAL = "mutual"


def differing(asked: Mapping[str, str], given: Mapping[str, str]) -> list[str]:
    """Targets that ask an initiator for another method than its host gives there; the secrets are not known here.

    ``asked`` has what each target asks for, ``given`` what the host gives; what is not named is off.

    >>> differing({"granite": "one-way", "basalt": "off"}, {"basalt": "mutual"})
    ['basalt', 'granite']
    """
    names = sorted({*asked, *given})
    return [name for name in names if asked.get(name, Chap.OFF) != given.get(name, Chap.OFF)]
