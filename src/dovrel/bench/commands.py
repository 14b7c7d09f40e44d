"""The benchmarks' commands."""

from __future__ import annotations

import json
from dataclasses import asdict
from pathlib import Path
from typing import Annotated

import typer
from rich.console import Console

app = typer.Typer(help="Benchmarks.", no_args_is_help=True)
console = Console(highlight=False)
TRUTH = Path(__file__).resolve().parents[3] / "benchmarks" / "truth"

JsonOption = Annotated[bool, typer.Option("--json", help="Print JSON.")]


PhotographsOption = Annotated[
    Path | None,
    typer.Option(help="Below it lie the photographs that some Debian packages ship, for example /usr/share."),
]
ExamplesOption = Annotated[
    Path | None,
    typer.Option(help="A file that examples are kept in from one run to the next; making them takes minutes."),
]


@app.command("live")
def bench_live(
    runs: Annotated[int, typer.Option(min=3, max=2000)] = 120,
    as_json: JsonOption = False,
) -> None:
    """One live update at 960×540, beside the same work in FFmpeg's filters."""
    from dovrel.bench import live

    result = live.run(runs)
    if as_json:
        print(json.dumps(result, indent=1))
    else:
        live.print_table(console, result)


@app.command("render")
def bench_render(
    runs: Annotated[int, typer.Option(min=1, max=50)] = 3,
    as_json: JsonOption = False,
) -> None:
    """A 1080p clip rendered, beside FFmpeg's one table and the same encoder on the same file."""
    from dovrel.bench import rendering

    result = rendering.run(runs)
    if as_json:
        print(json.dumps(result, indent=1))
    else:
        rendering.print_table(console, result)


@app.command("time")
def bench_time(
    photographs: Annotated[
        Path, typer.Option(help="Below it lie the photographs that some Debian packages ship, for example /usr/share.")
    ] = Path("/usr/share"),
    every: Annotated[int, typer.Option(min=1, help="Every so many of the photographs.")] = 4,
    as_json: JsonOption = False,
) -> None:
    """Boxes followed, light held and drift removed: on the demo, and on clips made of photographs by known moves and changes."""
    from dovrel.bench import changing, moving

    demo = changing.run(TRUTH.parent / "along")
    if not as_json:
        changing.print_table(console, demo)
    result = moving.run(photographs, every)
    if as_json:
        print(json.dumps({"demo": demo, **result}, indent=1))
    else:
        moving.print_table(console, result)


@app.command("match")
def bench_match(
    pictures: Annotated[Path | None, typer.Option(help="Write reference, shot, match, truth side by side.")] = None,
    wide: Annotated[bool, typer.Option(help="Every other view of the family as reference.")] = False,
    changed: Annotated[bool, typer.Option(help="Known changes made to every shot first.")] = False,
    drawn: Annotated[int | None, typer.Option(help="A change drawn by this seed made to every shot first.")] = None,
    extended: Annotated[bool, typer.Option(help="With the extended step.")] = False,
    balanced: Annotated[bool, typer.Option(help="Balance the references first, as on the Desk.")] = False,
    family: Annotated[bool, typer.Option(help="Families solved as one: the demo's, or cut from photographs.")] = False,
    photographs: PhotographsOption = None,
    examples: ExamplesOption = None,
    as_json: JsonOption = False,
) -> None:
    """Matches of the demo beside four published transfer methods, against the true answers; with photographs, in place of
    that, their halves, which share no points."""
    from dovrel.bench import families, matching, matching_photographs

    if family:
        solved = families.run(TRUTH, photographs)
        if as_json:
            print(json.dumps(families.summary(solved), indent=1))
        else:
            families.print_table(console, solved)
        return
    if photographs:
        cases = matching_photographs.run(photographs, TRUTH, examples)
        if as_json:
            print(json.dumps(matching_photographs.summary(cases), indent=1))
        else:
            matching_photographs.print_table(console, cases)
        return
    results = matching.run(
        TRUTH, pictures, wide=wide, changed=changed, drawn=drawn, extended=extended, balanced=balanced
    )
    if as_json:
        print(json.dumps(matching.summary(results), indent=1))
    else:
        matching.print_table(console, results)


@app.command("balance")
def bench_balance(
    photographs: PhotographsOption = None, examples: ExamplesOption = None, as_json: JsonOption = False
) -> None:
    """Balances of the demo against the true answers; with photographs also of these under known changes, each judged by a
    forest that was learned without it."""
    from dovrel.bench import balancing, balancing_photographs

    results = balancing.run(TRUTH)
    cases = balancing_photographs.run(photographs, TRUTH, examples) if photographs else []
    if as_json:
        found = balancing.summary(results)
        print(json.dumps(found | ({"photographs": balancing_photographs.summary(cases)} if cases else {}), indent=1))
        return
    balancing.print_table(console, results)
    if cases:
        balancing_photographs.print_table(console, cases)


@app.command("learn-balance")
def bench_learn_balance(photographs: Path, examples: ExamplesOption = None, to: Path | None = None) -> None:
    """Learn anew what Balance weighs its cues by, from photographs and the demo's true answers."""
    from dovrel.bench import learning
    from dovrel.core.balance import forest

    named, made = learning.photographs_and_examples(photographs, TRUTH, examples)
    grown = learning.learn(made, learning.calibrated(made))
    target = to or forest.LEARNED
    forest.save(grown, target)
    console.print(
        f"{len(named)} photographs, {len(made)} examples; {target.stat().st_size / 1e3:.0f} kB in {target.name}"
    )


@app.command("learn-cameras")
def bench_learn_cameras(photographs: Path, examples: ExamplesOption = None) -> None:
    """Learn anew how far Match believes what a camera's other shots needed, from photographs."""
    from dovrel.bench import learning_cameras

    learning_cameras.print_table(console, learning_cameras.run(photographs, TRUTH, examples))


@app.command("solve")
def bench_solve(
    problems: Annotated[int, typer.Option(min=1, help="A frame and spread.")] = 20,
    seed: Annotated[int, typer.Option(help="Which problems are drawn.")] = 1,
    as_json: JsonOption = False,
) -> None:
    """Random reachable problems on the demo's frames, and single readings moved: what is met, and how long it takes."""
    from dovrel.bench import solving

    results, moved = solving.run(problems, seed), solving.moves()
    if as_json:
        print(json.dumps(solving.summary(results, moved), indent=1))
    else:
        solving.print_table(console, results, moved)


@app.command("day")
def bench_day(
    shots: Annotated[int, typer.Option(min=4, max=2000)] = 200,
    workers: Annotated[list[int] | None, typer.Option(help="Worker processes; give it again for another run.")] = None,
    as_json: JsonOption = False,
) -> None:
    """First measurement and balance of a generated day, with one worker process and with two."""
    from dovrel.bench import day

    results = [day.run(shots, count) for count in workers or [1, 2]]
    if as_json:
        print(json.dumps(day.summary(results), indent=1))
    else:
        day.print_table(console, results)


@app.command("desks")
def bench_desks(
    desks: Annotated[
        list[int] | None, typer.Option(min=1, max=18, help="How many drag; give it again for more.")
    ] = None,
    seconds: Annotated[float, typer.Option(min=1, max=600, help="For how long.")] = 10,
    as_json: JsonOption = False,
) -> None:
    """Desks that drag at once: how long a hand waits for its answer, and the server's memory."""
    from dovrel.bench import desks as several

    results = several.run(desks or [1, 4, 10], seconds)
    if as_json:
        print(json.dumps(several.summary(results), indent=1))
    else:
        several.print_table(console, results)


@app.command("long-desk")
def bench_long_desk(
    minutes: Annotated[int, typer.Option(min=1, max=600, help="For how long.")] = 60,
    as_json: JsonOption = False,
) -> None:
    """One desk worked without a rest over many shots and steps: the server's memory and open files, minute by minute."""
    from dovrel.bench import long_desk

    said = Console(stderr=True)
    samples = long_desk.run(
        minutes, lambda one: said.print(f"{one.minutes} min: {one.memory_mb:.0f} MB, {one.files} files")
    )
    if as_json:
        print(json.dumps(long_desk.summary(samples), indent=1))
    else:
        long_desk.print_table(console, samples)


@app.command("page")
def bench_page(as_json: JsonOption = False) -> None:
    """The page in a browser: where the picture lies at each window size, and the time from a key to what it shows."""
    from dovrel.bench import page

    places, times = page.run()
    if as_json:
        print(page.summary(places, times))
    else:
        page.print_tables(console, places, times)


@app.command("faults")
def bench_faults(
    files: Annotated[int, typer.Option(min=1, max=100_000, help="Damaged files.")] = 200,
    kills: Annotated[int, typer.Option(min=0, max=10_000, help="Kills of parts while edits go on.")] = 20,
    seed: Annotated[int, typer.Option(help="Which files and moments are drawn.")] = 1,
    as_json: JsonOption = False,
) -> None:
    """Damaged files and killed parts: what held. Exit code 1 if anything did not."""
    from dovrel.bench import faults

    found = faults.run(files, kills, seed)
    if as_json:
        print(json.dumps(faults.summary(found), indent=1))
    else:
        faults.print_table(console, found)
    raise typer.Exit(1 if found.broken else 0)


@app.command("reading")
def bench_reading(
    keep: Annotated[Path | None, typer.Option(help="Leave the whole mixed card in this folder.")] = None,
    as_json: JsonOption = False,
) -> None:
    """What is read of clips and stills of many kinds, beside FFmpeg's probe and decode, and the standards' numbers."""
    from dovrel.bench import reading, still_card

    clips, stills = reading.run(keep), still_card.run()
    if as_json:
        print(
            json.dumps({"clips": [asdict(row) for row in clips], "stills": [asdict(row) for row in stills]}, indent=1)
        )
    else:
        reading.show(console, clips)
        still_card.show(console, stills)
    raise typer.Exit(1 if any(row.differs for row in [*clips, *stills]) else 0)
