"""Two of everything: two calls with one key, two workers that read, one of which is killed."""

from __future__ import annotations

from concurrent.futures import ThreadPoolExecutor
from datetime import UTC, datetime

import requests

import processes
from conftest import until
from e2e.conftest import URL, Caller, Stack


def test_two_calls_at_once_under_one_key_are_carried_out_once(fresh: Stack, caller: Caller) -> None:
    body = {"kind": "attach", "form": {"cluster": "quayside", "name": "berth-twice", "size": "1 TiB"}}
    headers = {
        "X-CSRFToken": caller.session.cookies.get("csrftoken") or "",
        "Referer": URL,
        "Idempotency-Key": "at-once",
        "Connection": "close",
    }
    cookies = caller.session.cookies.get_dict()

    def ask(_: int) -> requests.Response:
        return requests.post(f"{URL}/api/lots/", json=body, headers=headers, cookies=cookies, timeout=30)

    before = caller.call("GET", "lots/").json()["count"]
    with ThreadPoolExecutor(4) as threads:
        answers = list(threads.map(ask, range(4)))
    assert {answer.status_code for answer in answers} == {201}, [answer.text for answer in answers]
    assert len({answer.json()["summary"]["id"] for answer in answers}) == 1
    assert caller.call("GET", "lots/").json()["count"] == before + 1
    # The one that did it is not told apart from the others, but for a header.
    assert [answer.headers.get("Idempotency-Replayed") for answer in answers].count(None) == 1


def test_when_one_of_two_reading_workers_is_killed_the_other_reads_on(fresh: Stack, caller: Caller) -> None:
    command = [word.replace("readings@", "more-readings@") for word in processes.worker_command("readings")]
    fresh.spawn("more-readings", *command)
    until(lambda: _answering(fresh) >= {"readings", "more-readings"}, "the second worker")
    fresh.kill("worker-readings")
    try:
        killed = datetime.now(UTC)

        def read_since() -> bool:
            rows = caller.call("GET", "devices/").json()
            return all(row["read_at"] and datetime.fromisoformat(row["read_at"]) > killed for row in rows)

        until(read_since, "a reading of every device by the worker that is left", 90)
    finally:
        fresh.spawn("worker-readings", *processes.worker_command("readings"))
        fresh.kill("more-readings")


def _answering(stack: Stack) -> set[str]:
    """The workers that answer, by the first part of their names."""
    told = stack.output("celery", "--app", "movelot", "inspect", "ping", "--json", "--timeout", "2")
    return {name for name in ("readings", "more-readings") if f'"{name}@' in told}
