"""The page in a browser: where the Desk's picture lies at each window size, and the time from a key to what it shows."""

from __future__ import annotations

import json
import statistics
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from dataclasses import asdict, dataclass
from itertools import cycle, islice

from playwright.sync_api import Page, sync_playwright
from rich.console import Console
from rich.table import Table as RichTable

from dovrel.bench.demo_run import DemoRun, demo_run

SIZES = ((1280, 800), (1024, 700), (640, 400), (2560, 1440))
"""Windows in CSS pixels; 640 × 400 is 1280 × 800 at 200 %."""
KEYS = {"next frame": ("ArrowRight",), "before and after": ("x",), "next shot and back": ("PageDown", "PageUp")}
"""Keys pressed in turn."""
_STATES = ("x x", "n n", "h h h", "t t t t", "u u u", "Shift+N Escape", "? Escape", "Shift+B Escape", "q Escape")
"""Keys that change what is beside and below the picture, and take it back; its place is looked at after each."""
_UNTIL_DRAWN = """(key) => new Promise((done, failed) => {
  window.setTimeout(() => failed(`nothing was drawn after ${key}`), 30_000);
  const drawn = () => document.querySelector('.frame canvas').dataset.drawn;
  const [before, begin] = [drawn(), performance.now()];
  document.body.dispatchEvent(new KeyboardEvent('keydown', {key, code: key, bubbles: true}));
  const look = () => drawn() === before ? requestAnimationFrame(look)
    : requestAnimationFrame(() => done(performance.now() - begin));
  look();
})"""
_UNTIL_SAID = """(key) => new Promise((done, failed) => {
  window.setTimeout(() => failed(`nothing was said after ${key}`), 30_000);
  const said = () => [...document.querySelectorAll('[role=status]')].map((one) => one.textContent).join(' ');
  const [before, begin] = [said(), performance.now()];
  document.body.dispatchEvent(new KeyboardEvent('keydown', {key, code: 'Key' + key.toUpperCase(), bubbles: true}));
  const look = () => said() === before ? requestAnimationFrame(look) : done(performance.now() - begin);
  look();
})"""


@dataclass(frozen=True)
class Places:
    """The picture's boxes (left, top, width, height in CSS pixels) at one window size, and how many shots and states they are of."""

    window: tuple[int, int]
    looked_at: int
    boxes: list[tuple[float, float, float, float]]


@dataclass(frozen=True)
class Times:
    """Milliseconds from a key to a picture, or to a batch's first sign."""

    what: str
    median: float
    slowest: float


@contextmanager
def _page(demo: DemoRun) -> Iterator[Page]:
    with sync_playwright() as browsers:
        browser = browsers.chromium.launch(executable_path="/usr/bin/chromium-headless-shell", args=["--no-sandbox"])
        page = browser.new_page()
        page.add_init_script("window.localStorage.setItem('dovrel.walked', 'yes')")
        page.context.request.get(demo.entrance, max_redirects=0)
        yield page
        browser.close()


def _open(page: Page, demo: DemoRun, shot: int) -> None:
    page.goto(f"{demo.address}/desk/{shot}")
    page.wait_for_selector(".frame canvas[data-drawn]", timeout=60_000)


def _box(page: Page) -> tuple[float, float, float, float]:
    page.evaluate("() => new Promise((go) => requestAnimationFrame(() => requestAnimationFrame(go)))")
    box = page.locator(".frame").bounding_box()
    assert box
    return round(box["x"], 1), round(box["y"], 1), round(box["width"], 1), round(box["height"], 1)


def _places(page: Page, demo: DemoRun, window: tuple[int, int], shots: list[int]) -> Places:
    page.set_viewport_size({"width": window[0], "height": window[1]})
    boxes = []
    for number, shot in enumerate(shots):
        _open(page, demo, shot)
        boxes.append(_box(page))
        if number == 0:
            for keys in _STATES:
                for key in keys.split():
                    page.keyboard.press(key)
                    boxes.append(_box(page))
    return Places(window, len(boxes), sorted(set(boxes)))


def _to_picture(page: Page, what: str, keys: Sequence[str], times: int = 15) -> Times:
    taken = []
    for key in islice(cycle(keys), times):
        page.wait_for_timeout(700)  # a hand that has rested
        taken.append(page.evaluate(_UNTIL_DRAWN, key))
    return Times(what, statistics.median(taken), max(taken))


def _first_signs(page: Page, demo: DemoRun) -> Iterator[Times]:
    page.goto(f"{demo.address}/wall")
    page.wait_for_selector("[data-shot]:focus")
    for what, key in (("balance", "b"), ("match", "m")):
        page.keyboard.press("Control+a")
        page.keyboard.press("r")
        page.wait_for_timeout(2000)
        taken = page.evaluate(_UNTIL_SAID, key)
        yield Times(f"{what} of all shots, first sign", taken, taken)
        page.wait_for_selector("[data-testid=batch]", timeout=60_000)
        page.wait_for_selector("[data-testid=batch]", state="detached", timeout=600_000)


def run() -> tuple[list[Places], list[Times]]:
    """Look at the demo's whole day, in Debian's Chromium."""
    with demo_run() as demo, _page(demo) as page:
        shots = [shot["id"] for shot in demo.day()["shots"] if shot["progress"] == "ready"]
        places = [_places(page, demo, window, shots) for window in SIZES]
        page.set_viewport_size({"width": 1280, "height": 800})
        _open(page, demo, shots[0])
        times = [_to_picture(page, what, keys) for what, keys in KEYS.items()]
        return places, [*times, *_first_signs(page, demo)]


def summary(places: list[Places], times: list[Times]) -> str:
    """Both as JSON."""
    return json.dumps({"places": [asdict(one) for one in places], "times": [asdict(one) for one in times]}, indent=1)


def print_tables(console: Console, places: list[Places], times: list[Times]) -> None:
    where = RichTable(title="The Desk's picture: left, top, width and height in CSS pixels")
    for heading in ("window", "looked at", "boxes"):
        where.add_column(heading)
    for one in places:
        boxes = "; ".join(" ".join(f"{number:g}" for number in box) for box in one.boxes)
        where.add_row(f"{one.window[0]} × {one.window[1]}", str(one.looked_at), boxes)
    console.print(where)
    how_long = RichTable(title="From a key to what it shows")
    for heading in ("key", "median, ms", "slowest, ms"):
        how_long.add_column(heading, justify="left" if heading == "key" else "right")
    for time in times:
        how_long.add_row(time.what, f"{time.median:.0f}", f"{time.slowest:.0f}")
    console.print(how_long)
