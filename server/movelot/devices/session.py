"""A session with one device, through the standards body's Redfish client, over TLS pinned to one certificate."""

from __future__ import annotations

import threading
from collections.abc import Iterator
from typing import Any
from urllib.parse import urlsplit

import redfish
import requests
from django.conf import settings
from redfish.rest.v1 import (
    InvalidCredentialsError,
    JsonDecodingError,
    RestResponse,
    RetriesExhaustedError,
    ServerDownOrUnreachableError,
    SessionCreationError,
)
from urllib3.exceptions import ProtocolError

from movelot.devices.bounded import MEMBERS_MAX, PAGES_MAX, AnswerTooLong, LedElsewhere, PinnedAdapter
from movelot.devices.certificate import shown_by
from movelot.devices.errors import (
    CertificateChanged,
    ConnectionDropped,
    DeviceAway,
    DeviceError,
    DeviceFault,
    DeviceGone,
    DeviceOdd,
    DeviceRefused,
    DeviceStale,
)
from movelot.devices.sealing import unseal
from movelot.inventory.models import Device

Resource = dict[str, Any]
ROOT = "/redfish/v1"
_sessions: dict[tuple[str, str, str], DeviceSession] = {}
_guard = threading.Lock()


class DeviceSession:
    """One signed-in connection. Use ``session_with``; a session is safe for one thread at a time and locks itself."""

    def __init__(self, name: str, url: str, user: str, password: str, fingerprint: str) -> None:
        self.name, self.url, self.user, self._password = name, url, user, password
        self.fingerprint = fingerprint
        self._client: Any = None
        self._lock = threading.RLock()

    def __repr__(self) -> str:
        return f"<DeviceSession {self.name} {self.url} {'signed in' if self._client else 'closed'}>"

    def with_password(self, password: str) -> DeviceSession:
        """A session of the same account with another password, which the device has not been asked about yet."""
        return DeviceSession(self.name, self.url, self.user, password, self.fingerprint)

    def identity(self) -> str:
        """What the device calls itself: the UUID of its service. Empty for one that has none. Raises a DeviceError."""
        return str(self.get(ROOT).get("UUID") or "")

    def get(self, path: str, **headers: str) -> Resource:
        """The resource at ``path``. Raises a DeviceError."""
        return self._body(path, self._call("get", path, headers=headers))

    def members(self, path: str) -> Iterator[Resource]:
        """All members of a collection, whole, page after page."""
        next_path, count = f"{path}?$expand=.", 0
        for _ in range(PAGES_MAX):
            body = self.get(next_path)
            found = body.get("Members")
            if not isinstance(found, list) or not all(isinstance(member, dict) for member in found):
                raise self._odd(path, "has no Members")
            count += len(found)
            yield from found
            next_path = str(body.get("Members@odata.nextLink") or "")
            if not next_path:
                return
            if count > MEMBERS_MAX:
                break
        raise self._odd(path, "has no end")

    def _body(self, path: str, response: RestResponse) -> Resource:
        """The answer as an object. Raises DeviceOdd where it is none."""
        try:
            body = response.dict
        except (JsonDecodingError, ValueError) as error:
            raise self._odd(path, "is not JSON") from error
        if not isinstance(body, dict):
            raise self._odd(path, "is no object")
        return body

    def _odd(self, path: str, wrong: str) -> DeviceOdd:
        what = urlsplit(path).path.rstrip("/").rsplit("/", 1)[-1]
        return DeviceOdd(self.name, f"{self.name} answers what cannot be used: {what} {wrong}.")

    def post(self, path: str, body: Resource) -> RestResponse:
        return self._call("post", path, body=body)

    def patch(self, path: str, body: Resource, etag: str) -> RestResponse:
        """Change the resource if it still is what ``etag`` names; DeviceStale otherwise."""
        return self._call("patch", path, body=body, headers={"If-Match": etag})

    def delete(self, path: str, etag: str = "") -> RestResponse:
        return self._call("delete", path, headers={"If-Match": etag} if etag else {})

    def _call(self, verb: str, path: str, **more: Any) -> RestResponse:
        with self._lock:
            for last in (False, True):
                try:
                    response = self._once(verb, path, more)
                except ConnectionDropped:
                    # One that was kept open may be closed at the other end just as it is used again. What only asks
                    # is asked once more; of what acts nobody knows whether it was done.
                    if last or verb != "get":
                        raise
                    continue
                if response.status != 401 or last:
                    break
                # The token ran out: sign in anew, once.
                self._client = None
        return self._checked(verb, path, response)

    def _once(self, verb: str, path: str, more: dict[str, Any]) -> RestResponse:
        try:
            if self._client is None:
                self._client = self._signed_in()
            return getattr(self._client, verb)(path, **more)
        except DeviceError:
            raise
        except (InvalidCredentialsError, SessionCreationError) as error:
            raise DeviceRefused(self.name, f"{self.name} refuses the account {self.user}.") from error
        except (RetriesExhaustedError, ServerDownOrUnreachableError, requests.RequestException, OSError) as error:
            self._client = None
            raise self._unreachable(error) from error
        except (JsonDecodingError, LookupError, TypeError, AttributeError, ValueError) as error:
            self._client = None
            raise self._odd(path, "cannot be read") from error

    def _signed_in(self) -> Any:
        client = redfish.redfish_client(
            base_url=self.url,
            username=self.user,
            password=self._password,
            timeout=settings.DEVICE_TIMEOUT_SECONDS,
            max_retry=0,
            https_adapter=PinnedAdapter(self.fingerprint),
        )
        # The account and the way are those of the link: no proxy and no password of this machine's environment.
        client._session.trust_env = False
        client.login(auth="session")
        return client

    def _unreachable(self, error: BaseException) -> DeviceError:
        cause = error.__cause__ or error
        if isinstance(cause, requests.exceptions.SSLError):
            try:
                now = shown_by(self.url).fingerprint
            except DeviceAway:
                now = ""
            if now and now != self.fingerprint:
                return CertificateChanged(
                    self.name,
                    f"{self.name} shows another certificate. Pinned {self.fingerprint}; shown {now}. "
                    "Nothing was sent to it.",
                )
        if isinstance(cause, LedElsewhere):
            return DeviceOdd(self.name, f"{self.name} leads to another address. Nothing was sent there.")
        if isinstance(cause, AnswerTooLong):
            return DeviceOdd(self.name, f"{self.name} gives an answer without end: {cause}.")
        if isinstance(cause, requests.Timeout):
            return DeviceAway(self.name, f"{self.name} did not answer within {settings.DEVICE_TIMEOUT_SECONDS:.0f} s.")
        kind = ConnectionDropped if _dropped(error) else DeviceAway
        return kind(self.name, f"{self.name} does not answer at {self.url}.")

    def _checked(self, verb: str, path: str, response: RestResponse) -> RestResponse:
        status = response.status
        if status < 400:
            return response
        try:
            message = str(response.dict["error"]["message"])
        except (KeyError, TypeError, ValueError):
            message = f"answered {status}"
        if status == 401:
            raise DeviceRefused(self.name, f"{self.name} refuses the account {self.user}.")
        if status == 403:
            raise DeviceRefused(self.name, f"{self.name} does not let {self.user} do this: {message}")
        if status == 404:
            raise DeviceGone(self.name, message)
        if status == 412:
            raise DeviceStale(self.name, message)
        if status == 503:
            raise DeviceAway(self.name, f"{self.name} answers that it is unavailable.")
        raise DeviceFault(self.name, f"{self.name} refused to {verb} {path.rsplit('/', 1)[1]}: {message}")


class WouldAct(Exception):
    """What only looks came to where it would change something."""


class LookingSession(DeviceSession):
    """A session that asks, over the connection of another one, and never acts: that raises WouldAct."""

    def __init__(self, session: DeviceSession) -> None:
        self._session = session
        self.name, self.url, self.user = session.name, session.url, session.user

    def __repr__(self) -> str:
        return f"<LookingSession {self._session!r}>"

    def with_password(self, password: str) -> LookingSession:
        return LookingSession(self._session.with_password(password))

    def _call(self, verb: str, path: str, **more: Any) -> RestResponse:
        if verb != "get":
            raise WouldAct(f"{verb} {path}")
        return self._session._call(verb, path, **more)


def _dropped(error: BaseException | None) -> bool:
    """Whether the connection was closed before an answer had come; not so where none was made, or in time."""
    while error is not None:
        if isinstance(error, ProtocolError):
            return True
        error = error.__cause__ or error.__context__
    return False


def session_with(device: Device) -> DeviceSession:
    """The process's session with ``device``; a new one after its address, account or pin changed.

    Raises DeviceAway for one that is imported, or was unlinked.
    """
    if device.gone_at:
        raise DeviceAway(device.name, f"{device.name} is not linked any more; nothing can be asked of it.")
    if device.imported:
        raise DeviceAway(device.name, f"{device.name} is known from a file only; nothing can be asked of it.")
    key = (device.address, bytes(device.sealed_password).hex(), device.fingerprint)
    with _guard:
        found = _sessions.get(key)
        if found is None:
            found = DeviceSession(
                device.name,
                device.address,
                device.user,
                unseal(bytes(device.sealed_password)),
                device.fingerprint,
            )
            _sessions[key] = found
    return found
