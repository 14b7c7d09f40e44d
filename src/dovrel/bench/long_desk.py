"""One desk that goes from shot to shot and from step to step for a long time: the server's memory and open files, minute by minute."""

from __future__ import annotations

import itertools
import json
import threading
import time
from collections.abc import Callable, Iterator
from dataclasses import asdict, dataclass

from pydantic import TypeAdapter
from rich.console import Console
from rich.table import Table as RichTable
from websockets.sync.client import ClientConnection

from dovrel.bench import finishing, parts
from dovrel.bench.demo_run import demo_run
from dovrel.bench.desks import server_of
from dovrel.bench.orders import levels, ten
from dovrel.core.steps.chain import Chain
from dovrel.core.steps.correction import Level
from dovrel.core.steps.kinds import Kinds
from dovrel.core.steps.look import Look
from dovrel.demo import cards
from dovrel.media.footage import probe, read_recorded
from dovrel.media.picture import shrink, to_picture

PREVIEW = 960
"""Pixels across."""
EDITS = 12
"""Positions of the hand on each step; the last one is asked for at full size, as when the hand rests."""


@dataclass(frozen=True)
class Sample:
    """The server after so many minutes: megabytes in memory, open files and sockets, threads, answers since the sample before."""

    minutes: int
    memory_mb: float
    files: int
    threads: int
    answers: int


def _cases(clip: cards.DemoClip, look: Look) -> Iterator[tuple[Level, Chain]]:
    """Steps as a night brings them: picks, areas, curves and hues of a shot; looks and finishes of the show."""
    packed = to_picture(shrink(read_recorded(clip.path, 12, probe(clip.path)), PREVIEW), clip.encoding).packed
    for chain in parts.cases_of(packed).values():
        yield "shot", chain
    for chain in finishing.cases_of(look).values():
        yield "show", chain


def _correction(chain: Chain, level: Level, exposure: float) -> dict:
    own = ten([1, 1, 1, exposure, exposure, exposure, 1, 1, 1, 1], level)["steps"]
    written = TypeAdapter(Kinds)
    return {
        "steps": own
        + [
            {"id": f"step {number}", "values": written.dump_python(one, mode="json"), "on": True, "keyframes": []}
            for number, one in enumerate(chain)
        ]
    }


class _Hand:
    """Sends what a hand does and waits for each answer, as a page does that is never ahead of the server."""

    def __init__(self, line: ClientConnection) -> None:
        self.line, self.number, self.answers = line, 0, 0

    def ask(self, shot: int, frame: int, chosen: dict, *, full: bool) -> None:
        self.number += 1
        request = {"kind": "show", "number": self.number, "shot": shot, "frame": frame, "levels": chosen, "full": full}
        self.line.send(json.dumps(request))
        while True:
            answer = self.line.recv(timeout=120)
            if isinstance(answer, bytes):
                self.answers += 1
                return
            if (told := json.loads(answer)).get("number") == self.number:
                raise RuntimeError(f"{told}")


def run(minutes: int, told: Callable[[Sample], None]) -> list[Sample]:
    """Work a demo of the benchmark's own for so many minutes; `told` is called with every sample as it is taken."""
    samples: list[Sample] = []
    with demo_run() as demo, finishing.a_look(demo.data / "looks") as look:
        cases = list(_cases(cards.find("12A-1"), look))
        server = server_of(demo)
        shots = [shot["id"] for shot in demo.day()["shots"] if shot["progress"] == "ready"]
        hand, over = _Hand(demo.live()), threading.Event()

        def sample(minute: int, before: int) -> None:
            memory = server.memory_info().rss / 1e6
            files = server.num_fds()
            samples.append(Sample(minute, memory, files, server.num_threads(), hand.answers - before))
            told(samples[-1])

        def watch() -> None:
            before = 0
            sample(0, before)
            for minute in itertools.count(1):
                if over.wait(60):
                    return
                sample(minute, before)
                before = hand.answers

        watching = threading.Thread(target=watch, daemon=True)
        watching.start()
        until = time.monotonic() + 60 * minutes + 1
        for turn, (level, chain) in enumerate(itertools.cycle(cases)):
            if time.monotonic() >= until:
                break
            for edit in range(EDITS):
                chosen = levels(**{level: _correction(chain, level, 0.01 * edit)})
                hand.ask(shots[turn % len(shots)], edit, chosen, full=edit == EDITS - 1)
        over.set()
        watching.join()
        hand.line.close()
    return samples


def summary(samples: list[Sample]) -> dict:
    return {"samples": [asdict(one) for one in samples]}


def print_table(console: Console, samples: list[Sample]) -> None:
    table = RichTable(title="A desk worked without a rest: the server, minute by minute")
    for heading in ("minutes", "memory, MB", "open files", "threads", "answers a minute"):
        table.add_column(heading, justify="right")
    for one in samples:
        table.add_row(str(one.minutes), f"{one.memory_mb:.0f}", str(one.files), str(one.threads), str(one.answers))
    console.print(table)
