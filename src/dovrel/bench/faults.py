"""Damaged files through command line and service, and every part killed while edits go on: what held.

Seeded, so that what did not hold can be seen again.
"""

from __future__ import annotations

import contextlib
import os
import signal
import subprocess
import sys
import tempfile
import threading
import time
from collections import Counter
from concurrent.futures import ThreadPoolExecutor
from dataclasses import asdict, dataclass, field
from pathlib import Path

import httpx
import numpy as np
import psutil
from rich.console import Console
from rich.table import Table as RichTable

from dovrel.bench import bounds, faults_of_footage
from dovrel.bench.damage import damaged, sound_files
from dovrel.bench.demo_run import DemoRun, demo_run
from dovrel.bench.orders import numbers_of, ten

MOST_SECONDS = 20.0
MOST_MEMORY = 2e9
SHARES = {"clip": 0.4, "still": 0.25, "table": 0.12, "correction": 0.13, "list": 0.1}
"""Of the damaged files, by kind."""
RECOVERED_WITHIN = 90.0
PARTS = ("server", "worker", "database", "start command")
HUNG_RECOVERED_WITHIN = 240.0


@dataclass
class Faults:
    """What was tried, and every thing that did not hold, as a sentence that says how to see it again."""

    seed: int
    tried: Counter = field(default_factory=Counter)
    held: Counter = field(default_factory=Counter)
    broken: list[str] = field(default_factory=list)
    slowest_seconds: float = 0.0
    largest_memory_mb: float = 0.0
    recoveries_seconds: list[float] = field(default_factory=list)
    hangs_seconds: list[float] = field(default_factory=list)

    def note(self, what: str, fault: str = "") -> None:
        self.tried[what] += 1
        if fault:
            self.broken.append(f"{what}: {fault}")
        else:
            self.held[what] += 1


def _command(kind: str, path: Path, still: Path, out: Path) -> list[str]:
    if kind == "table":
        return ["measure", str(still), "--encoding", f"file:{path}", "--json"]
    if kind == "correction":
        return ["export", str(still), "--cdl", str(path), "--picture", str(out)]
    return ["measure", str(path), "--json"]


def _run_command(arguments: list[str]) -> tuple[int, str, float, float]:
    """Exit code, standard error, seconds, largest memory in bytes."""
    began, largest = time.monotonic(), 0.0
    with tempfile.TemporaryFile() as said:
        process = subprocess.Popen(
            [sys.executable, "-m", "dovrel.cli", *arguments],
            stdin=subprocess.DEVNULL, stdout=subprocess.DEVNULL, stderr=said,
        )  # fmt: skip
        watched = psutil.Process(process.pid)
        while process.poll() is None:
            with contextlib.suppress(psutil.Error):
                largest = max(largest, watched.memory_info().rss)
            if time.monotonic() - began > 4 * MOST_SECONDS:
                process.kill()
            time.sleep(0.05)
        said.seek(0)
        return process.returncode, said.read().decode(errors="replace"), time.monotonic() - began, largest


def _judge(path: Path, status: int, said: str, seconds: float, memory: float) -> str:
    """What did not hold; empty if all did."""
    lines = said.splitlines()
    if status not in (0, 2):
        return f"{path.name}: exit code {status}; {lines[-1] if lines else 'not a word'}"
    if status == 2 and (len(lines) != 1 or path.name not in said):
        return f"{path.name}: refused in {len(lines)} lines: {said[:200]!r}"
    if status == 0 and said:
        return f"{path.name}: taken, with words on standard error: {said[:200]!r}"
    if seconds > MOST_SECONDS:
        return f"{path.name}: took {seconds:.0f} s"
    if memory > MOST_MEMORY:
        return f"{path.name}: took {memory / 1e9:.1f} GB"
    return ""


def _through_command_line(found: Faults, files: list[tuple[str, Path]], still: Path, folder: Path) -> None:
    def one(entry: tuple[str, Path]) -> tuple[str, Path, int, str, float, float]:
        kind, path = entry
        return kind, path, *_run_command(_command(kind, path, still, folder / f"{path.stem}-out.png"))

    with ThreadPoolExecutor(os.cpu_count() or 1) as pool:
        for kind, path, status, said, seconds, memory in pool.map(one, files):
            found.slowest_seconds = max(found.slowest_seconds, seconds)
            found.largest_memory_mb = max(found.largest_memory_mb, memory / 1e6)
            found.note(f"command line: {kind}", _judge(path, status, said, seconds, memory))


def _through_service(found: Faults, run: DemoRun, clips: list[Path], lists: list[Path]) -> None:
    """Take the clips in as a card, and order the day by the lists."""
    with run.client(timeout=120) as client:
        answer = client.post("/intake", json={"folder": str(run.media)})
        if answer.status_code != 200 or answer.json()["added"] != len(clips):
            found.note("service: taking in", f"{answer.status_code} {answer.text[:200]}")
            return
        run.wait_measured()
        shots = {shot["file"]: shot for shot in run.day()["shots"]}
        for path in clips:
            shot = shots[path.name]
            told = shot["progress"] == "ready" or path.name in shot["fault"]
            found.note("service: clip", "" if told else f"{path.name}: {shot['progress']}, {shot['fault']!r}")
        for path in lists:
            text = path.read_text(errors="replace")
            base = run.day()["production"]["line_up_stamp"]
            order = {"edit_list": text, "format": path.suffix[1:], "base": base}
            answer = client.put("/line-up", json=order)
            fine = answer.status_code < 500 and (answer.status_code == 200 or isinstance(answer.json()["detail"], str))
            found.note("service: list", "" if fine else f"{path.name}: {answer.status_code} {answer.text[:200]}")


@dataclass
class _Edits:
    """One hand that edits shot after shot, and knows what was acknowledged and what was under way."""

    run: DemoRun
    shots: list[int]
    acknowledged: dict[int, dict] = field(default_factory=dict)
    under_way: dict[int, list[float]] = field(default_factory=dict)
    count: int = 0
    stopped: threading.Event = field(default_factory=threading.Event)

    def work(self) -> None:
        step = 0
        while not self.stopped.is_set():
            step += 1
            shot = self.shots[step % len(self.shots)]
            with contextlib.suppress(httpx.HTTPError, KeyError, ValueError):
                self._edit(shot, step)
            time.sleep(0.03)

    def _edit(self, shot: int, step: int) -> None:
        numbers = [1, 1, 1, round((step % 997) / 1e5, 6), 0, 0, 1, 1, 1, 1]
        with self.run.client(timeout=10) as client:
            base = self.acknowledged.get(shot, {}).get("version_id")
            self.under_way[shot] = numbers
            order = {"correction": ten(numbers), "base": base, "change": f"edit {step}"}
            answer = client.put(f"/shots/{shot}/correction", json=order)
            if answer.status_code == 200:
                self.acknowledged[shot] = answer.json()
                self.under_way.pop(shot)
                self.count += 1
            elif answer.status_code == 409:
                # An answer was lost on the way: what was under way is what is there.
                self.acknowledged[shot] = next(s for s in self.run.day()["shots"] if s["id"] == shot)

    def lost(self) -> list[str]:
        """Acknowledged edits that are not there any more."""
        now = {shot["id"]: shot for shot in self.run.day()["shots"]}
        gone = []
        for number, saved in self.acknowledged.items():
            there = now[number]
            same = there["version_id"] == saved["version_id"] and there["correction"] == saved["correction"]
            if not same and numbers_of(there) != self.under_way.get(number):
                gone.append(f"{there['name']}: version {saved['version_id']} saved, {there['version_id']} there")
        return gone


def _kill(run: DemoRun, part: str) -> None:
    assert run.process
    if part == "start command":
        run.process.kill()
        run.process.wait()
        run.start(stderr=subprocess.DEVNULL, stdout=subprocess.DEVNULL)
        return
    word = {"server": "service.main", "worker": "worker", "database": "postgres"}[part]
    for child in psutil.Process(run.process.pid).children():
        with contextlib.suppress(psutil.Error):
            if any(word in one for one in child.cmdline()):
                child.send_signal(signal.SIGKILL)


def _kills(found: Faults, run: DemoRun, count: int, rng: np.random.Generator) -> None:
    ready = [shot["id"] for shot in run.day()["shots"] if shot["progress"] == "ready"]
    edits = _Edits(run, ready[: len(ready) // 2])
    batched = ready[len(ready) // 2 :]
    hand = threading.Thread(target=edits.work, daemon=True)
    hand.start()
    ordered: list[int] = []
    for number in range(count):
        if number % 4 == 0:
            with contextlib.suppress(httpx.HTTPError), run.client() as client:
                ordered.append(client.post("/batches", json={"kind": "balance", "shots": batched}).json()["id"])
        time.sleep(float(rng.uniform(0.2, 3.0)))
        part = PARTS[number % len(PARTS)] if number < len(PARTS) else str(rng.choice(PARTS))
        began = time.monotonic()
        _kill(run, part)
        what = f"kill: {part}"
        try:
            run.wait_until_answering(RECOVERED_WITHIN)
        except (TimeoutError, RuntimeError) as error:
            found.note(what, f"kill {number}: {error}")
            edits.stopped.set()
            return
        found.recoveries_seconds.append(round(time.monotonic() - began, 1))
        found.note(what)
    edits.stopped.set()
    hand.join(30)
    run.wait_until_answering(RECOVERED_WITHIN)
    gone = edits.lost()
    found.tried["edits acknowledged"], found.held["edits acknowledged"] = edits.count, edits.count - len(gone)
    found.broken += [f"edit lost: {one}" for one in gone]
    for operation in ordered:
        found.note("batch came to its end", _still_at(run, operation))
    at_work = [shot["name"] for shot in run.day()["shots"] if shot["progress"] not in ("ready", "faulty")]
    found.note("no shot stands at measuring", ", ".join(at_work))
    left = [str(path) for path in run.data.rglob("*.partial*") if path.stat().st_mtime < time.time() - 60]
    found.note("no half file is left", ", ".join(left))


def _hangs(found: Faults, run: DemoRun) -> None:
    """Stop server and worker without ending them: each is started anew, and work goes on."""
    assert run.process
    for part, word in (("server", "service.main"), ("worker", "worker")):
        hung = [p for p in psutil.Process(run.process.pid).children() if any(word in one for one in p.cmdline())]
        began = time.monotonic()
        for process in hung:
            process.send_signal(signal.SIGSTOP)
        try:
            run.wait(lambda hung=hung: not any(map(_lives, hung)), HUNG_RECOVERED_WITHIN)
            run.wait_until_answering(RECOVERED_WITHIN)
        except (TimeoutError, RuntimeError) as error:
            found.note(f"hung: {part}", str(error))
            continue
        found.hangs_seconds.append(round(time.monotonic() - began, 1))
        found.note(f"hung: {part}")


def _lives(process: psutil.Process) -> bool:
    try:
        return process.is_running() and process.status() != psutil.STATUS_ZOMBIE
    except psutil.Error:
        return False


def _still_at(run: DemoRun, operation: int) -> str:
    """Where a batch still is after a while; empty if it came to its end."""
    said = ""

    def ended() -> bool:
        nonlocal said
        with run.client() as client:
            now = client.get(f"/operations/{operation}").json()
        said = f"batch {operation} still at {now['done']} of {now['total']}"
        return now["done"] >= now["total"]

    try:
        run.wait(ended, 180)
    except TimeoutError:
        return said
    return ""


def run(files: int, kills: int, seed: int) -> Faults:
    """Try so many damaged files, half of the clips and all lists through the service, footage damaged while it is rendered,
    so many kills, and parts that hang."""
    found, rng = Faults(seed), np.random.default_rng(seed)
    with tempfile.TemporaryDirectory(prefix="dovrel-bench-faults-") as scratch:
        folder = Path(scratch)
        sound = sound_files(folder / "sound")
        (folder / "damaged").mkdir()
        drawn: list[tuple[str, Path]] = []
        kinds = rng.choice(list(SHARES), files, p=list(SHARES.values()))
        for number, kind in enumerate(map(str, kinds)):
            whole = sound[kind][int(rng.integers(0, len(sound[kind])))]
            drawn.append((kind, damaged(whole, number, folder / "damaged", rng)[0]))
        clips = [path for kind, path in drawn if kind == "clip"]
        served = clips[::2]
        lists = [path for kind, path in drawn if kind == "list"]
        told = {*served, *lists}
        by_command = [entry for entry in drawn if entry[1] not in told]
        at_bounds = list(bounds.write_all(folder / "bounds"))
        by_command += [entry for entry in at_bounds if entry[0] != "list"]
        lists += [path for kind, path in at_bounds if kind == "list"]
        _through_command_line(found, by_command, sound["still"][0], folder)
        with demo_run() as demo:
            for path in served:
                path.rename(demo.media / path.name)
            _through_service(found, demo, [demo.media / path.name for path in served], lists)
            faults_of_footage.run(demo, found.note)
            _kills(found, demo, kills, rng)
            if kills:
                _hangs(found, demo)
    return found


def summary(found: Faults) -> dict:
    return {**asdict(found), "tried": dict(found.tried), "held": dict(found.held), "all_held": not found.broken}


def print_table(console: Console, found: Faults) -> None:
    table = RichTable(title=f"Faults, seed {found.seed}")
    for heading in ("what", "tried", "held"):
        table.add_column(heading, justify="left" if heading == "what" else "right")
    for what in sorted(found.tried):
        table.add_row(what, str(found.tried[what]), str(found.held[what]))
    console.print(table)
    console.print(f"slowest file {found.slowest_seconds:.1f} s, largest memory {found.largest_memory_mb:.0f} MB")
    if found.recoveries_seconds:
        middle, longest = float(np.median(found.recoveries_seconds)), max(found.recoveries_seconds)
        console.print(f"answering again after a kill: median {middle:.1f} s, longest {longest:.1f} s")
    if found.hangs_seconds:
        console.print(f"answering again after a part hung: {', '.join(f'{one:.0f} s' for one in found.hangs_seconds)}")
    for sentence in found.broken:
        console.print(f"did not hold: {sentence}")
