"""Free addresses of a subnet, and what is wrong with one that was typed."""

from ipaddress import ip_interface, ip_network

import pytest
from hypothesis import given
from hypothesis import strategies as st

from movelot_core.addresses import address_problem, next_free
from movelot_core.errors import CoreError

NETWORK = "10.40.12.0/24"
ADDRESSES = st.lists(st.integers(1, 254).map(lambda n: f"10.40.12.{n}"), max_size=40, unique=True)


def test_they_ascend_and_skip_what_is_in_use() -> None:
    used = ["10.40.12.101/24", "10.40.12.103/24", "10.40.12.11"]
    assert next_free(NETWORK, used, 2, beside=used[:2]) == ["10.40.12.102/24", "10.40.12.104/24"]
    assert next_free(NETWORK, used, 1) == ["10.40.12.1/24"]


def test_where_too_few_are_left_above_the_likes_the_whole_subnet_is_used() -> None:
    assert next_free("10.0.0.0/29", ["10.0.0.6"], 1, beside=["10.0.0.6"]) == ["10.0.0.1/29"]


def test_a_subnet_of_millions_is_not_listed() -> None:
    assert next_free("10.0.0.0/8", ["10.200.0.1"], 2, beside=["10.200.0.1"]) == ["10.200.0.2/8", "10.200.0.3/8"]
    assert next_free("fd00::/64", ["fd00::1"], 1) == ["fd00::2/64"]


def test_a_full_subnet_is_said() -> None:
    with pytest.raises(CoreError, match="has 1 free addresses, 2 are needed"):
        next_free("10.0.0.0/30", ["10.0.0.1"], 2)


@given(ADDRESSES, ADDRESSES, st.integers(0, 30))
def test_they_are_free_different_in_the_subnet_and_ascending(used: list[str], beside: list[str], count: int) -> None:
    found = [ip_interface(address) for address in next_free(NETWORK, used, count, beside)]
    assert len(found) == count
    assert found == sorted(set(found))
    assert all(address.ip in ip_network(NETWORK) and str(address.ip) not in used for address in found)
    assert all(address_problem(str(address), NETWORK, used) == "" for address in found)


@pytest.mark.parametrize(
    ("typed", "problem"),
    [
        ("10.40.13.5", "not in"),
        ("10.40.12.0", "not in"),
        ("10.40.12.255", "not in"),
        ("10.40.12.7", "in use"),
        ("ten", "no IP address"),
        ("", "no IP address"),
        ("10.40.12.8/24", ""),
    ],
)
def test_an_address_that_cannot_be_given_is_told_why(typed: str, problem: str) -> None:
    found = address_problem(typed, NETWORK, ["10.40.12.7/24"])
    assert (problem in found) if problem else found == ""
