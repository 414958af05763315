"""The account that Move Lot has on a device, as the device's own account service (Redfish) keeps it."""

from __future__ import annotations

from movelot.devices.errors import DeviceGone, DeviceOdd, DeviceRefused
from movelot.devices.session import ROOT, DeviceSession, Resource


def takes(session: DeviceSession, password: str) -> bool:
    """Whether the device takes this password for the account of ``session``. Raises a DeviceError otherwise."""
    try:
        # The root is told to anybody: sessions are for those who signed in.
        session.with_password(password).get(f"{ROOT}/SessionService")
    except DeviceRefused:
        return False
    return True


def set_password(session: DeviceSession, password: str) -> None:
    """Give the account of ``session`` another password. Raises a DeviceError; DeviceGone where it keeps no accounts."""
    account = _own(session)
    session.patch(account["@odata.id"], {"Password": password}, str(account.get("@odata.etag", "")))


def _own(session: DeviceSession) -> Resource:
    service = session.get(ROOT).get("AccountService")
    if not isinstance(service, dict):
        raise DeviceGone(session.name, f"{session.name} lets nobody change a password over its API.")
    accounts = session.get(str(service.get("@odata.id", ""))).get("Accounts")
    if not isinstance(accounts, dict):
        raise DeviceOdd(session.name, f"{session.name} does not say where its accounts are.")
    for account in session.members(str(accounts.get("@odata.id", ""))):
        if account.get("UserName") == session.user:
            return account
    raise DeviceGone(session.name, f"{session.name} lists no account {session.user}.")
