"""What tests ask of the service again and again: shots and families by name, batches waited for."""

from __future__ import annotations

import time

import httpx
import numpy as np

from dovrel.bench.orders import ten
from dovrel.core.steps.primary import IDENTITY


def day(api: httpx.Client) -> dict:
    return api.get("/day").json()


def shots(api: httpx.Client) -> dict[str, dict]:
    """All shots of the day by their names."""
    return {shot["name"]: shot for shot in day(api)["shots"]}


def family(api: httpx.Client, name: str) -> dict:
    return next(f for f in day(api)["families"] if f["name"] == name)


def keep_as_reference(api: httpx.Client, name: str, frame: int) -> dict:
    """Keep a shot's frame as its family's reference."""
    order = {"frame": frame, "as_reference": True}
    return api.post(f"/shots/{shots(api)[name]['id']}/keep", json=order).raise_for_status().json()


def done(api: httpx.Client, operation: dict, seconds: float = 240) -> dict:
    """An operation when it has ended."""
    until = time.monotonic() + seconds
    while time.monotonic() < until:
        operation = api.get(f"/operations/{operation['id']}").json()
        if operation["done"] >= operation["total"] or operation["cancelled"]:
            return operation
        time.sleep(0.1)
    raise AssertionError(f"the batch is still at {operation['done']} of {operation['total']}")


def batch(api: httpx.Client, kind: str, names: list[str], **more: object) -> dict:
    """A batch over shots by their names, when it has ended."""
    found = shots(api)
    answer = api.post("/batches", json={"kind": kind, "shots": [found[n]["id"] for n in names], **more})
    assert answer.status_code == 200, answer.text
    return done(api, answer.json())


def places_of(api: httpx.Client, track: dict) -> np.ndarray:
    """The places of a track that an answer names, float64 (frames, 4)."""
    content = api.get(f"/tracks/{track['digest']}").raise_for_status().content
    places = np.frombuffer(content, "<f8").reshape(-1, 4)
    assert len(places) == track["frames"]
    return places


def keyframed(*keyframes: tuple[int, list[float]]) -> dict:
    """A correction whose balance has keyframes."""
    correction = ten(IDENTITY.as_array().tolist())
    correction["steps"][0]["keyframes"] = [
        {"frame": frame, "values": ten(numbers)["steps"][0]["values"], "ease": "straight"}
        for frame, numbers in keyframes
    ]
    return correction
