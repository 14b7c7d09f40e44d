"""The README's tour: a day balanced, a reference for each family, matched, by keys on the Wall; what is reported then."""

from __future__ import annotations

import time

from playwright.sync_api import Page, expect

from dovrel.bench.visiting import Visit
from tests.helpers.pages import Hand, batch_over, shots_of


def tour(wall: Page, running: Visit) -> None:
    """The whole of it, on an untouched day."""
    matched_by_keys(wall, running)
    shared_as_a_table(wall)
    odd_ones_stand_out(wall, running)


def matched_by_keys(wall: Page, running: Visit) -> None:
    """The README's tour: balance all, one reference a family, match all."""
    hand, began = Hand(wall), time.monotonic()
    everything = len(shots_of(running))
    hand.press("Control+a", "b")
    expect(wall.get_by_test_id("batch")).to_contain_text(f"balance {everything} shots")
    batch_over(wall)
    hand.press("Escape", "r")
    families = wall.locator(".rows section")
    for family in range(1, families.count()):
        hand.press("ArrowDown", "r")
        expect(families.nth(family).locator(".reference")).to_have_count(1)
    hand.press("Control+a", "m")
    others = everything - families.count()
    expect(wall.get_by_test_id("batch")).to_contain_text(f"match {others} shots")
    batch_over(wall)
    passed = time.monotonic() - began
    print(f"tour: {hand.count} keys, {passed:.0f} s")
    after = shots_of(running)
    assert sum(shot["state"] == "matched" for shot in after.values()) >= 0.77 * others
    assert hand.count < 30
    expect(wall.get_by_label("12B-3, camera B, matched")).to_be_visible()


def shared_as_a_table(wall: Page) -> None:
    """What a family's shots share, by the arrows: after the day was matched every family's links are kept."""
    wall.reload()
    expect(wall.locator("[data-shot]:focus")).to_have_count(1)
    wall.keyboard.press("Shift+P")
    table = wall.locator(".shared-table")
    expect(table).to_be_visible(timeout=60_000)
    names = table.locator("tbody button").all_inner_texts()
    assert names[0] == "12A-1"
    said = wall.get_by_role("dialog").get_by_role("status")
    expect(said).to_contain_text("12A-1 is the reference")
    table.locator("tbody button").first.focus()
    wall.keyboard.press("ArrowDown")
    expect(table.locator("tbody button").nth(1)).to_be_focused()
    expect(said).to_contain_text(f"{names[1]} is linked to the reference through {names[1]} → ")
    expect(table.locator("td.chained")).not_to_have_count(0)
    wall.keyboard.press("Escape")
    expect(table).to_have_count(0)


def odd_ones_stand_out(wall: Page, running: Visit) -> None:
    expect(wall.locator(".strip .column")).to_have_count(len(shots_of(running)))
    matched = {name: shot for name, shot in shots_of(running).items() if shot["report"]}
    assert {shot["report"]["tolerance"] for shot in matched.values()} == {3, 4.5}
    # Under the usual measure every shot of the day is near enough: one between the nearest and the farthest has odd ones.
    measures = [3 * shot["distance"] / shot["tolerance"] for shot in matched.values()]
    with running.client() as client:
        stricter = {"tolerance": round((min(measures) + max(measures)) / 2, 2)}
        assert client.patch("/production", json=stricter).status_code == 200
        off = [
            name for name, shot in shots_of(running).items() if shot["report"] and shot["distance"] > shot["tolerance"]
        ]
    assert off
    assert len(off) < len(matched)
    expect(wall.locator(".strip .column.off")).to_have_count(len(off))
    expect(wall.locator(".card-shot.off")).to_have_count(len(off))
    # The mark of the mids stands higher, the brighter the shot.
    tall = wall.evaluate(
        """() => [...document.querySelectorAll('.strip .column')].map((c) => ({
          name: c.querySelector('title').textContent.split(':')[0],
          y: Number(c.querySelectorAll('.tick')[1].getAttribute('y1')),
        }))"""
    )
    level = {n: s["corrected"][4] for n, s in shots_of(running).items()}
    brightest, darkest = max(level, key=lambda n: level[n]), min(level, key=lambda n: level[n])
    at = {entry["name"]: entry["y"] for entry in tall}
    assert at[brightest] < at[darkest]
    with running.client() as client:
        client.patch("/production", json={"tolerance": 3.0})
