"""The connection to a device: to the pinned certificate alone, never led elsewhere, with answers within bounds."""

from __future__ import annotations

import time
from typing import Any

import requests
from django.conf import settings
from requests.adapters import HTTPAdapter

# A host with 300 devices of 32 paths each answers with about 1 MiB.
ANSWER_BYTES_MAX = 64 * 1024**2
CHUNK_BYTES = 64 * 1024
# A collection with more members than this is none that we could use.
MEMBERS_MAX = 200_000
PAGES_MAX = 2_000


class AnswerTooLong(requests.RequestException):
    """An answer that is larger, or takes longer to come, than any that is of use."""


class LedElsewhere(requests.RequestException):
    """An answer that names another address; what is sent to a device goes to no other."""


class PinnedAdapter(HTTPAdapter):
    """Speaks to whoever shows the certificate of a SHA-256 ``fingerprint`` (AA:BB:…), and to nobody else.

    It is compared when a connection is made, before anything is sent. Who signed the certificate, for which names and
    until when says nothing more: a person has compared it. An answer is read up to its bounds, and no further.
    """

    def __init__(self, fingerprint: str) -> None:
        self._fingerprint = fingerprint
        super().__init__()

    def init_poolmanager(self, connections: int, maxsize: int, block: bool = False, **more: Any) -> None:
        super().init_poolmanager(
            connections, maxsize, block, assert_fingerprint=self._fingerprint.replace(":", ""), **more
        )

    def send(self, request: requests.PreparedRequest, *args: Any, **kwargs: Any) -> requests.Response:
        """The answer, read whole. Raises AnswerTooLong, LedElsewhere."""
        begun = time.monotonic()
        response = super().send(request, *args, **{**kwargs, "stream": True, "verify": False})
        if response.is_redirect:
            response.close()
            raise LedElsewhere("it names another address")
        chunks, size = [], 0
        for chunk in response.iter_content(CHUNK_BYTES):
            chunks.append(chunk)
            size += len(chunk)
            if size > ANSWER_BYTES_MAX:
                response.close()
                raise AnswerTooLong(f"more than {ANSWER_BYTES_MAX // 1024**2} MiB")
            if time.monotonic() - begun > settings.DEVICE_ANSWER_SECONDS:
                response.close()
                raise AnswerTooLong(f"still going on after {settings.DEVICE_ANSWER_SECONDS:.0f} s")
        # What was read is the content: requests keeps it so itself once it has read an answer.
        response._content = b"".join(chunks)
        response._content_consumed = True  # type: ignore[attr-defined]
        return response
