"""What tests of the Desk do on the page again and again."""

from __future__ import annotations

import re
from collections.abc import Callable

from playwright.sync_api import Page, expect

from dovrel.bench.visiting import Visit


def settled(page: Page) -> None:
    """Until the hand has rested: saved, nothing asked and not yet answered, measured on the full frame and drawn."""
    expect(page.get_by_test_id("status")).to_have_text("all saved", timeout=60_000)
    page.wait_for_function(
        """() => {
          const measured = document.querySelector('[data-testid=measured-on]');
          const picture = document.querySelector('.frame canvas');
          return measured?.ariaBusy === 'false' && measured.textContent.includes('full frame')
            && picture?.dataset.answer === measured.dataset.answer;
        }""",
        timeout=60_000,
    )


def frame_shown(page: Page) -> None:
    """Until the page has drawn what was done last, and nothing on it moves any more."""
    page.evaluate("() => new Promise((go) => requestAnimationFrame(() => requestAnimationFrame(go)))")
    page.wait_for_function("() => !document.getAnimations().some((one) => one.playState === 'running')")


def drawn(page: Page) -> int:
    """How many pictures the Desk has drawn so far."""
    return int(page.evaluate("document.querySelector('.frame canvas').dataset.drawn"))


def reading(page: Page, index: int) -> float:
    return float(page.get_by_test_id(f"reading-{index}").inner_text().replace("!", ""))


def picture_mean(page: Page) -> list[float]:
    """Mean R, G, B of the picture as the page shows it."""
    return page.evaluate(
        """() => {
          const c = document.querySelector('.frame canvas');
          const d = c.getContext('2d').getImageData(0, 0, c.width, c.height).data;
          const sum = [0, 0, 0];
          for (let i = 0; i < d.length; i += 4) for (let k = 0; k < 3; k++) sum[k] += d[i + k];
          return sum.map((s) => s / (d.length / 4));
        }"""
    )


def until(page: Page, holds: Callable[[], bool], seconds: float = 120) -> None:
    """Wait for the page to come to something that no single element says; a first search for aims may compile its kernels."""
    for _ in range(int(seconds * 10)):
        if holds():
            return
        page.wait_for_timeout(100)
    said = page.locator(
        "[role=alert], [role=status], [data-testid=status], [data-testid=measured-on]"
    ).all_inner_texts()
    raise AssertionError(f"it did not come to hold in time; the page says {said}, and measures {readings_of(page)}")


def readings_of(page: Page) -> list[str]:
    return page.locator("[data-testid^=reading-]").all_inner_texts()


def add(page: Page, kind: str) -> None:
    page.keyboard.press("Shift+N")
    page.get_by_role("button", name=re.compile(f"^{kind} ")).click()
    settled(page)


def steps(shot: dict) -> list[dict]:
    return shot["correction"]["steps"]


def at(page: Page, test_id: str, x: float, y: float) -> tuple[float, float]:
    box = page.get_by_test_id(test_id).bounding_box()
    assert box
    return box["x"] + x * box["width"], box["y"] + y * box["height"]


def drag(page: Page, start: tuple[float, float], end: tuple[float, float]) -> None:
    page.mouse.move(*start)
    page.mouse.down()
    page.mouse.move(*end, steps=5)
    page.mouse.up()
    settled(page)


def drag_on(page: Page, test_id: str, start: tuple[float, float], end: tuple[float, float], steps: int = 6) -> None:
    """Drag from one place to another on a canvas, in parts of its width and height."""
    box = page.get_by_test_id(test_id).bounding_box()
    assert box
    page.mouse.move(box["x"] + box["width"] * start[0], box["y"] + box["height"] * start[1])
    page.mouse.down()
    page.mouse.move(box["x"] + box["width"] * end[0], box["y"] + box["height"] * end[1], steps=steps)
    page.mouse.up()


class Hand:
    """Counts what the user does."""

    def __init__(self, page: Page) -> None:
        self.page, self.count = page, 0

    def press(self, *keys: str) -> None:
        for key in keys:
            self.page.keyboard.press(key)
            self.count += 1


def batch_over(page: Page) -> None:
    """Until the batch that runs, or has just been ordered, has ended."""
    expect(page.get_by_test_id("batch")).to_have_count(0, timeout=300_000)


def shots_of(running: Visit) -> dict[str, dict]:
    return {shot["name"]: shot for shot in running.day()["shots"]}


def brighter(page: Page) -> None:
    """One step more exposure, by keys."""
    page.get_by_role("spinbutton", name="Exposure").focus()
    page.keyboard.press("ArrowUp")
