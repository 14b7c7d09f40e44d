"""Footage that is replaced, cut short or taken away while it is rendered: nothing of it may be handed over as if it were whole."""

from __future__ import annotations

import os
import shutil
from collections.abc import Callable
from pathlib import Path

import httpx

from dovrel.bench.demo_run import DemoRun
from dovrel.demo import cards

CLIP, OTHER = "12B-1", "12A-2"
FORMAT = "prores-422"
_ENDED = ("done", "differs", "failed", "cancelled")
Note = Callable[[str, str], None]


def _replace(path: Path) -> None:
    aside = path.with_suffix(".aside")
    shutil.copy2(cards.find(OTHER).path, aside)
    aside.replace(path)


def _cut_short(path: Path) -> None:
    os.truncate(path, path.stat().st_size // 3)


def _blank(path: Path) -> None:
    """Write nothing over the middle third; the size stays."""
    size = path.stat().st_size
    with path.open("r+b") as file:
        file.seek(size // 3)
        file.write(bytes(size // 3))


def _take_away(path: Path) -> None:
    path.rename(path.with_suffix(".away"))


DAMAGE = {"replaced": _replace, "cut short": _cut_short, "blanked": _blank, "taken away": _take_away}


def run(demo: DemoRun, note: Note) -> None:
    """Damage a clip of its own in each way: before it is rendered, and at its first frames; `note` takes what and what did not hold."""
    with demo.client(timeout=120) as client:
        for how, damage in DAMAGE.items():
            for moment in ("before rendering", "while rendering"):
                folder = demo.media / f"{how} {moment}".replace(" ", "-")
                note(f"footage {how} {moment}", _tried(demo, client, folder, damage, moment == "while rendering"))


def _tried(demo: DemoRun, client: httpx.Client, folder: Path, damage: Callable[[Path], None], late: bool) -> str:
    """What did not hold; empty if all did."""
    folder.mkdir()
    path = folder / f"{folder.name}{cards.find(CLIP).path.suffix}"
    shutil.copy2(cards.find(CLIP).path, path)
    client.post("/intake", json={"folder": str(folder)}).raise_for_status()
    demo.wait_measured()
    shot = next(one for one in demo.day()["shots"] if one["file"] == path.name)
    if not late:
        damage(path)
    order = {"shots": [shot["id"]], "formats": [], "clips": [FORMAT]}
    number = client.post("/handovers", json=order).raise_for_status().json()["id"]

    def item() -> dict:
        items = client.get(f"/handovers/{number}").json()["items"]
        return next(one for one in items if one["kind"] == FORMAT)

    if late:
        demo.wait(lambda: item()["state"] != "waiting", 120)
        damage(path)
    demo.wait(lambda: item()["state"] in _ENDED, 180)
    ended = item()
    # A clip that was open already is rendered whole, whatever is put in its place.
    may_be_whole = late and damage in (_replace, _take_away)
    if ended["state"] == "done" and not may_be_whole:
        return f"{path.name}: handed over as done"
    if ended["state"] != "done" and not ended["said"]:
        return f"{path.name}: {ended['state']} without a reason"
    return ""
