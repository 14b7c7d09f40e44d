"""The report of a day: one page for people, an HTML that prints on A4 by itself, and a table of all measurements for programs."""

from __future__ import annotations

import base64
import csv
import sys
from collections.abc import Sequence
from dataclasses import dataclass
from html import escape
from itertools import groupby
from pathlib import Path

from dovrel.core.measure.readings import reading_name
from dovrel.core.steps.primary import REC709_LUMA
from dovrel.machine.files import written_aside
from dovrel.machine.printing import can_print, print_page


@dataclass(frozen=True)
class ShotTold:
    """A shot as the report has it.

    Attributes
    ----------
    before, after : JPEGs of its middle frame as recorded and as corrected; None where it could not be read
    recorded, corrected : the ten readings of that frame, percent
    distance : to its reference, mean CIEDE2000; None where it has none; `tolerance` up to which it matches
    clipped : of the recording, in parts of the picture
    notes : what matching could not meet, and what was noted by hand
    """

    name: str
    family: str
    camera: str
    state: str
    version: int | None
    timecode: str
    reference: bool
    before: bytes | None
    after: bytes | None
    recorded: Sequence[float]
    corrected: Sequence[float]
    distance: float | None
    tolerance: float
    clipped: float
    notes: Sequence[str]

    @property
    def oddness(self) -> float:
        """The distance beside what is tolerated."""
        return 0.0 if self.distance is None else self.distance / self.tolerance


@dataclass(frozen=True)
class DayTold:
    """A day: its shots in story order, families' references by family as JPEGs."""

    production: str
    day: str
    output: str
    shots: Sequence[ShotTold]
    references: dict[str, bytes]


COLUMNS = ("shot", "family", "camera", "state", "version", "timecode", "distance", "tolerance", "clipped")


def write_csv(path: Path, day: DayTold) -> None:
    """All measurements, a shot a row: percent, and parts of the picture; whole or not at all."""
    readings = [reading_name(n) for n in range(10)]
    with written_aside(path) as aside, aside.open("w", newline="", encoding="utf-8") as file:
        rows = csv.writer(file)
        rows.writerow(
            [*COLUMNS, *(f"recorded {one}" for one in readings), *(f"corrected {one}" for one in readings), "notes"]
        )
        for shot in day.shots:
            distance = "" if shot.distance is None else f"{shot.distance:.3f}"
            rows.writerow(
                [*(_cell(one) for one in (shot.name, shot.family, shot.camera, shot.state)), shot.version or "", _cell(shot.timecode), distance, f"{shot.tolerance:.2f}",
                 f"{shot.clipped:.5f}", *(f"{one:.3f}" for one in (*shot.recorded, *shot.corrected)),
                 _cell("; ".join(shot.notes))]
            )  # fmt: skip


def _cell(text: str) -> str:
    """A text that no program takes for a formula (OWASP: CSV injection)."""
    return f"'{text}" if text[:1] in _FORMULAS else text


_FORMULAS = ("=", "+", "-", "@", "\t", "\r")


def write_all(folder: Path, day: DayTold) -> list[Path]:
    """The page, the table, and the page as a PDF where a browser of this machine prints it; gives what was written.

    That there is a browser which does not print is said on standard error, and nothing else is the worse for it.

    Raises
    ------
    NoRoom
        If the disc is full.
    """
    page, table, printed = (folder / name for name in ("report.html", "measurements.csv", "report.pdf"))
    write_html(page, day)
    write_csv(table, day)
    if not can_print():
        return [page, table]
    try:
        print_page(page, printed)
    except ValueError as fault:
        print(fault, file=sys.stderr)
        return [page, table]
    return [page, table, printed]


def write_html(path: Path, day: DayTold) -> None:
    """The page, with its pictures in it; whole or not at all."""
    with written_aside(path) as aside:
        aside.write_text(_page(day), encoding="utf-8")


_STYLE = """
@page { size: A4; margin: 14mm; }
* { box-sizing: border-box; }
body { font: 10pt/1.35 "Atkinson Hyperlegible Next", "Helvetica", "Arial", sans-serif; color: #111; max-width: 182mm; margin: 8mm auto; }
h1 { font-size: 20pt; margin: 0; } h2 { font-size: 12pt; margin: 6mm 0 2mm; border-bottom: 0.5pt solid #777; }
p { margin: 1mm 0; } .sum { display: flex; gap: 8mm; margin: 4mm 0; } .sum b { font-size: 16pt; display: block; }
svg { display: block; width: 100%; height: auto; } svg text { font-size: 7px; fill: #555; }
.shot { display: grid; grid-template-columns: 1fr 1fr 1fr; gap: 2mm; padding: 3mm 0; border-top: 0.5pt solid #bbb; break-inside: avoid; }
.shot header { grid-column: 1 / -1; display: flex; gap: 4mm; align-items: baseline; } .shot header b { font-size: 12pt; }
.shot.odd { border-top: 3pt double #111; } .away { margin-left: auto; font-variant-numeric: tabular-nums; }
figure { margin: 0; } img, .none { width: 100%; aspect-ratio: 16 / 9; object-fit: cover; display: block; background: #ddd; }
figcaption { font-size: 8pt; color: #555; }
table { border-collapse: collapse; font-size: 8pt; font-variant-numeric: tabular-nums; grid-column: 1 / 3; width: 100%; }
th { font-weight: normal; color: #555; text-align: right; } th:first-child { text-align: left; } td { text-align: right; padding: 0 1mm; }
ul { margin: 0; padding-left: 4mm; font-size: 8pt; }
"""


def _page(day: DayTold) -> str:
    odd = sorted((shot for shot in day.shots if shot.oddness > 1), key=lambda shot: -shot.oddness)
    families = list(dict.fromkeys(shot.family for shot in day.shots))
    rest = sorted((shot for shot in day.shots if shot.oddness <= 1), key=lambda shot: families.index(shot.family))
    title = f"{day.production}, {day.day}"
    parts = [
        f'<!doctype html><html lang="en"><head><meta charset="utf-8"><title>{escape(title)}</title><style>{_STYLE}</style></head><body>',
        f"<h1>{escape(title)}</h1><p>Report of the day. Seen on {escape(day.output)}.</p>",
        _summary(day, odd),
        "<h2>Along the line-up</h2>",
        _plots(day.shots),
    ]
    if odd:
        parts += ["<h2>To be looked at first</h2>", *(_shot(shot, day) for shot in odd)]
    for family, shots in groupby(rest, lambda shot: shot.family):
        parts += [f"<h2>{escape(family)}</h2>", *(_shot(shot, day) for shot in shots)]
    return "".join([*parts, "</body></html>\n"])


def _summary(day: DayTold, odd: Sequence[ShotTold]) -> str:
    matched = [shot for shot in day.shots if shot.distance is not None]
    mean = f"{sum(shot.distance or 0 for shot in matched) / len(matched):.1f}" if matched else "–"
    said = [
        (len(day.shots), "shots"),
        (
            sum(shot.state in ("matched", "checked") or shot.reference for shot in day.shots),
            "matched or checked, or references",
        ),
        (mean, "mean distance, CIEDE2000"),
        (len(odd), "out of tolerance"),
        (sum(shot.clipped > 0.01 for shot in day.shots), "clipped in the recording over 1 %"),
    ]
    return '<div class="sum">' + "".join(f"<p><b>{number}</b>{words}</p>" for number, words in said) + "</div>"


_WIDE, _HIGH, _LEFT = 700, 96, 22


def _plots(shots: Sequence[ShotTold]) -> str:
    """Lows, mids and highs of luma as recorded (hollow) and as corrected, and the distance, a shot beside the next."""
    if not shots:
        return ""
    step = (_WIDE - _LEFT) / len(shots)
    lines = [
        f'<line x1="{_LEFT}" x2="{_WIDE}" y1="{_y(level)}" y2="{_y(level)}" stroke="#ccc" stroke-width="0.5"/>'
        f'<text x="0" y="{_y(level) + 2}">{level} %</text>'
        for level in (0, 50, 100)
    ]
    for place, shot in enumerate(shots):
        x = _LEFT + (place + 0.5) * step
        before, after = (_lumas(readings) for readings in (shot.recorded, shot.corrected))
        lines.append(f'<line x1="{x:.1f}" x2="{x:.1f}" y1="{_y(after[0]):.1f}" y2="{_y(after[2]):.1f}" stroke="#999"/>')
        lines += [
            f'<circle cx="{x:.1f}" cy="{_y(one):.1f}" r="1.6" fill="none" stroke="#777" stroke-width="0.6"/>'
            for one in before
        ]
        lines += [f'<circle cx="{x:.1f}" cy="{_y(one):.1f}" r="1.8" fill="#111"/>' for one in after]
        tall = min(shot.oddness, 2.0) * 12
        lines.append(
            f'<rect x="{x - step / 4:.1f}" y="{_HIGH + 34 - tall:.1f}" width="{step / 2:.1f}" height="{tall:.1f}" '
            f'fill="{"#111" if shot.oddness > 1 else "#999"}"/>'
        )
        lines.append(
            f'<text x="{x:.1f}" y="{_HIGH + 42}" text-anchor="end" transform="rotate(-60 {x:.1f} {_HIGH + 42})">{escape(shot.name)}</text>'
        )
    lines.append(
        f'<line x1="{_LEFT}" x2="{_WIDE}" y1="{_HIGH + 22}" y2="{_HIGH + 22}" stroke="#111" stroke-width="0.4" stroke-dasharray="2 2"/>'
    )
    words = "luma of lows, mids and highs: hollow as recorded, filled as corrected; below, the distance, dashed what is tolerated"
    return f'<svg viewBox="0 0 {_WIDE} {_HIGH + 74}" role="img" aria-label="{words}">{"".join(lines)}</svg><p>{words.capitalize()}.</p>'


def _y(level: float) -> float:
    return _HIGH - 4 - level * (_HIGH - 8) / 100


def _lumas(readings: Sequence[float]) -> list[float]:
    return [
        sum(weight * readings[3 * channel + zone] for channel, weight in enumerate(REC709_LUMA)) for zone in range(3)
    ]


def _shot(shot: ShotTold, day: DayTold) -> str:
    away = (
        "reference"
        if shot.reference
        else ""
        if shot.distance is None
        else f"distance <b>{shot.distance:.1f}</b> of {shot.tolerance:.1f}"
    )
    pictures = (
        ("as recorded", shot.before),
        ("as corrected", shot.after),
        ("reference", day.references.get(shot.family)),
    )
    notes = [*shot.notes]
    if shot.clipped > 0.001:
        notes.append(f"{shot.clipped:.1%} of the picture is clipped in the recording")
    return (
        f'<section class="shot{" odd" if shot.oddness > 1 else ""}"><header><b>{escape(shot.name)}</b>'
        f"<span>{escape(shot.camera)} camera · {escape(shot.timecode)} · {escape(shot.state)}</span>"
        f'<span class="away">{away}</span></header>'
        + "".join(_picture(words, jpeg) for words, jpeg in pictures)
        + _table(shot)
        + (f"<ul>{''.join(f'<li>{escape(note)}</li>' for note in notes)}</ul>" if notes else "")
        + "</section>"
    )


def _picture(words: str, jpeg: bytes | None) -> str:
    seen = (
        f'<img alt="{words}" src="data:image/jpeg;base64,{base64.b64encode(jpeg).decode()}">'
        if jpeg
        else '<div class="none"></div>'
    )
    return f"<figure>{seen}<figcaption>{words}</figcaption></figure>"


def _table(shot: ShotTold) -> str:
    heads = "".join(f"<th>{channel} {zone}</th>" for channel in "RGB" for zone in ("lows", "mids", "highs"))
    rows = "".join(
        f"<tr><th>{words}</th>{''.join(f'<td>{one:.1f}</td>' for one in readings)}</tr>"
        for words, readings in (("recorded", shot.recorded), ("corrected", shot.corrected))
    )
    return f"<table><tr><th>%</th>{heads}<th>saturation</th></tr>{rows}</table>"
