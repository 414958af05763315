"""iSCSI sessions and CHAP as conditions of a path: told in order, alike one by one and for all at once."""

from __future__ import annotations

from dataclasses import replace

import pytest

from core.tests.test_fabric import OFFER, PORT_A, PORT_B, PORTALS
from movelot_core.fabric.causes import Cause
from movelot_core.fabric.chap import Chap, differing
from movelot_core.fabric.matrix import Fabric, compare_all
from movelot_core.fabric.paths import NVME, HostPort, compare_paths

SHARED, OWN = "iqn.granite", "iqn.granite.vol-1"
AT_SHARED = replace(OFFER, target=SHARED)
EVERY = frozenset((SHARED, portal.name) for portal in PORTALS)


def causes(port: HostPort, target: str, seen: set[tuple[str, str, str]] | None) -> dict[str, Cause | None]:
    """The cause of each of the port's paths, proven to be the same when all paths are compared at once."""
    offer = replace(AT_SHARED, target=target)
    paths = compare_paths([port], PORTALS, offer, seen)
    fabric = Fabric.of([port], PORTALS, [offer])
    matrix = compare_all(fabric, None)
    if seen is not None:
        reported = matrix.seen & False
        for _host, _port, portal in seen:
            reported[0, 0, [each.name for each in PORTALS].index(portal)] = True
        matrix = compare_all(fabric, reported)
    assert matrix.verdicts(0) == paths
    return {path.portal: path.cause for path in paths}


def test_a_portal_without_a_session_is_told_apart_from_one_that_was_not_rescanned() -> None:
    port = replace(PORT_A, sessions=frozenset({(SHARED, "A1")}))
    assert causes(port, SHARED, set()) == {"A1": Cause.NOT_RESCANNED, "B1": Cause.NOT_LOGGED_IN}
    # A session with another target of the same portal is none with this one.
    assert causes(port, OWN, set()) == {"A1": Cause.NOT_LOGGED_IN, "B1": Cause.NOT_LOGGED_IN}


def test_where_sessions_are_unknown_a_rescan_is_all_that_is_said() -> None:
    assert causes(PORT_A, SHARED, set()) == {"A1": Cause.NOT_RESCANNED, "B1": Cause.NOT_RESCANNED}


def test_a_session_that_will_be_made_is_no_obstacle_but_a_chap_that_differs_is() -> None:
    fresh = replace(PORT_A, sessions=frozenset())
    assert causes(fresh, SHARED, None) == {"A1": None, "B1": None}
    differs = replace(fresh, chap_differs=frozenset({SHARED}))
    assert causes(differs, SHARED, None) == {"A1": Cause.CHAP, "B1": Cause.CHAP}
    assert causes(differs, OWN, None) == {"A1": None, "B1": None}


def test_a_path_that_is_up_stays_so_until_it_has_to_log_in_again() -> None:
    port = replace(PORT_A, sessions=EVERY, chap_differs=frozenset({SHARED}))
    assert causes(port, SHARED, {("quay-01", "storage-a", "A1")}) == {"A1": None, "B1": Cause.CHAP}


@pytest.mark.parametrize(
    ("part", "cause"),
    [
        ({"vlan": 999}, Cause.VLAN),
        ({"standby_uplinks": ("uplink-2",)}, Cause.STANDBY_UPLINK),
        # A login comes before masking.
        ({"initiator": "iqn.other"}, Cause.CHAP),
    ],
)
def test_wiring_is_told_before_chap_and_chap_before_masking(part: dict[str, object], cause: Cause) -> None:
    port = replace(PORT_A, chap_differs=frozenset({SHARED}), sessions=frozenset(), **part)  # type: ignore[arg-type]
    assert set(causes(port, SHARED, set()).values()) == {cause}


def test_other_protocols_know_neither_sessions_nor_chap() -> None:
    port = replace(PORT_B, protocol=NVME, sessions=frozenset(), chap_differs=frozenset({SHARED}))
    portals = [replace(portal, protocol=NVME) for portal in PORTALS]
    assert {path.cause for path in compare_paths([port], portals, AT_SHARED, set())} == {Cause.NOT_CONNECTED}
    fabric = Fabric.of([port], portals, [AT_SHARED])
    assert compare_all(fabric, None).seen.sum() == 2


def test_chap_differs_where_one_side_asks_for_another_method() -> None:
    asked = {"granite": Chap.MUTUAL, "basalt": Chap.OFF, "shale": Chap.ONE_WAY}
    assert differing(asked, {"granite": Chap.ONE_WAY, "shale": Chap.ONE_WAY}) == ["granite"]
    assert differing({}, {"granite": Chap.ONE_WAY}) == ["granite"]
