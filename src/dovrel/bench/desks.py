"""Several desks that drag at once on one server: how long each hand waits for its answer, and the server's memory."""

from __future__ import annotations

import json
import struct
import threading
import time
from dataclasses import asdict, dataclass

import numpy as np
import psutil
from rich.console import Console
from rich.table import Table as RichTable
from websockets.exceptions import ConnectionClosed

from dovrel.bench.demo_run import DemoRun, demo_run
from dovrel.bench.orders import levels

HAND_SECONDS = 1 / 60
"""Between two positions of a hand that drags."""
FRAME = 12


@dataclass(frozen=True)
class DesksResult:
    """Milliseconds from a hand's position to the answer for it, over all desks that drag.

    `beside` is what other desks do meanwhile: nothing, or full frames and thorough searches.
    """

    desks: int
    beside: str
    answers: int
    median_ms: float
    p95_ms: float
    slowest_desk_ms: float
    """The median of the desk that waits longest: what is fair is near the median of all."""
    memory_mb: float


def _numbers(step: int) -> list[float]:
    """Where a hand is: exposure to and fro, a little warmth."""
    offset = 0.06 * np.sin(step / 9)
    return [1.0, 1.0, 1.0, offset + 0.01, offset, offset - 0.01, 1.0, 1.0, 1.0, 1.0]


def _header(message: bytes) -> dict:
    (length,) = struct.unpack_from("<I", message)
    return json.loads(message[4 : 4 + length])


class _Hand:
    """One desk that drags: sends positions at the rate of a hand, and notes when each answer comes."""

    def __init__(self, run: DemoRun, shot: int) -> None:
        self.shot = shot
        self.line = run.live()
        self.sent: dict[int, float] = {}
        self.waits: list[float] = []
        self._reading = threading.Thread(target=self._read, daemon=True)

    def warm_up(self) -> None:
        for number in range(3):
            self._send(number)
            self.line.recv(timeout=60)
        self.sent.clear()
        self._reading.start()

    def _send(self, number: int) -> None:
        request = {
            "kind": "show",
            "number": number,
            "shot": self.shot,
            "frame": FRAME,
            "levels": levels(shot=_numbers(number)),
        }
        self.sent[number] = time.perf_counter()
        self.line.send(json.dumps(request))

    def drag(self, seconds: float) -> None:
        began = time.perf_counter()
        number = 10
        while time.perf_counter() - began < seconds:
            number += 1
            self._send(number)
            time.sleep(max(0.0, began + (number - 10) * HAND_SECONDS - time.perf_counter()))

    def _read(self) -> None:
        try:
            while True:
                answer = self.line.recv()
                came = time.perf_counter()
                if isinstance(answer, bytes):
                    self.waits.append(came - self.sent[_header(answer)["number"]])
        except ConnectionClosed:
            return


class _Other(_Hand):
    """A desk beside: asks for full frames one after another, or for aims that contradict each other."""

    def __init__(self, run: DemoRun, shot: int, aims: bool) -> None:
        super().__init__(run, shot)
        self.aims = aims

    def drag(self, seconds: float) -> None:
        began, number = time.perf_counter(), 10
        while time.perf_counter() - began < seconds:
            number += 1
            request: dict = {"kind": "show", "number": number, "shot": self.shot, "frame": FRAME, "full": True,
                             "levels": levels(shot=_numbers(number))}  # fmt: skip
            if self.aims:
                # Mids above highs: no numbers can do that, so every search is a thorough one.
                request["aim"] = {"values": [5, 95, 60, 5, 40, 80, 5, 40, 80, 12], "moved": [1, 2]}
            self.sent[number] = time.perf_counter()
            self.line.send(json.dumps(request))
            time.sleep(0.5)


def server_of(run: DemoRun) -> psutil.Process:
    assert run.process
    children = psutil.Process(run.process.pid).children()
    return next(p for p in children if any("service.main" in word for word in p.cmdline()))


def _measure(run: DemoRun, shots: list[int], desks: int, seconds: float, *, beside: bool) -> DesksResult:
    hands = [_Hand(run, shot) for shot in shots[:desks]]
    others = [_Other(run, shots[-1 - n], aims=bool(n)) for n in range(2)] if beside else []
    for one in (*hands, *others):
        one.warm_up()
    working = [threading.Thread(target=one.drag, args=(seconds,)) for one in (*hands, *others)]
    for thread in working:
        thread.start()
    for thread in working:
        thread.join()
    time.sleep(0.5)
    memory = server_of(run).memory_info().rss / 1e6
    for one in (*hands, *others):
        one.line.close()
    waits = 1000 * np.concatenate([hand.waits for hand in hands])
    return DesksResult(
        desks,
        "full frames, searches" if beside else "",
        len(waits),
        float(np.median(waits)),
        float(np.percentile(waits, 95)),
        float(max(1000 * np.median(hand.waits) for hand in hands)),
        memory,
    )


def run(counts: list[int], seconds: float) -> list[DesksResult]:
    """Measure on a demo of the benchmark's own."""
    with demo_run() as demo:
        shots = [shot["id"] for shot in demo.day()["shots"] if shot["progress"] == "ready"]
        found = [_measure(demo, shots, count, seconds, beside=False) for count in counts]
        return [*found, _measure(demo, shots, 4, seconds, beside=True)]


def summary(results: list[DesksResult]) -> dict:
    return {"runs": [asdict(result) for result in results]}


def print_table(console: Console, results: list[DesksResult]) -> None:
    table = RichTable(title="Desks dragging at once, milliseconds from the hand to the answer")
    for heading in ("desks", "beside", "answers", "median", "p95", "slowest desk's median", "server MB"):
        table.add_column(heading, justify="right")
    for r in results:
        table.add_row(
            str(r.desks), r.beside, str(r.answers), f"{r.median_ms:.0f}", f"{r.p95_ms:.0f}",
            f"{r.slowest_desk_ms:.0f}", f"{r.memory_mb:.0f}",
        )  # fmt: skip
    console.print(table)
