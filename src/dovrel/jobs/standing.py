"""Where a shot stands: its state, and what is to be known beside it."""

from __future__ import annotations

from typing import Literal

from dovrel.jobs.subject import tolerance_of
from dovrel.store.models import Shot

Standing = Literal[
    "new",
    "balanced",
    "matched",
    "checked",
    "reference",
    "out of tolerance",
    "parts are off",
    "a rescue would help",
    "left as it was",
]

PARTS_WITHIN = 1.6
"""How many tolerances nine tenths of what a shot shares with its reference must stay below. In the demo's matches that hold
against the true answers these figures lie below 1.2, in those that do not above 1.9."""


def standing_of(shot: Shot) -> Standing:
    """What is to be known first of a shot: that it is checked, what is wrong with it, or how far the work on it is."""
    report = (shot.version.report if shot.version else None) or {}
    tolerance = tolerance_of(shot)
    worst = report.get("residuals", {}).get("worst")
    if shot.state == "checked":
        return "checked"
    if shot.family and shot.family.reference and shot.family.reference.shot_id == shot.id:
        return "reference"
    if why_left(shot):
        return "left as it was"
    off = shot.distance is not None and shot.distance > tolerance
    near = not off and (worst is None or worst <= PARTS_WITHIN * tolerance)
    rescue = report.get("rescue")
    # A ΔE within tolerance says little of a shot that only its rescue makes comparable to the reference.
    if rescue and not _has_step(shot, rescue["name"]) and (not near or rescue["before"] is None):
        return "a rescue would help"
    if near:
        return shot.state  # type: ignore[return-value]
    return "out of tolerance" if off else "parts are off"


def why_left(shot: Shot) -> str:
    """Why the last match left the shot as it was; empty if none did, or that match was undone."""
    if shot.left_by is None or shot.left_by.undone:
        return ""
    items = (item for item in shot.left_by.items if item.target == "shot" and item.target_id == shot.id)
    return next((item.said for item in items), "")


def _has_step(shot: Shot, name: str) -> bool:
    assert shot.version
    return any(step["id"] == name for step in shot.version.correction["steps"])
