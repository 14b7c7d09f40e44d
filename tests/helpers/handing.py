"""Handing over, and waiting until it is done."""

from __future__ import annotations

import time

import httpx


def hand_over(client: httpx.Client, order: dict, seconds: float = 120) -> dict:
    """Order a handover, and wait until the workers have written all of it; its record."""
    answer = client.post("/handovers", json=order)
    assert answer.status_code == 200, answer.text
    return all_ended(client, answer.json()["id"], seconds)


def all_ended(client: httpx.Client, handover: int, seconds: float = 120) -> dict:
    """A handover's record once nothing of it is written any more."""
    end, record = time.monotonic() + seconds, {}
    while time.monotonic() < end:
        record = client.get(f"/handovers/{handover}").json()
        if all(item["state"] in ("done", "failed", "cancelled") for item in record["items"]):
            return record
        time.sleep(0.1)
    raise TimeoutError(record)
