"""The command line."""

from __future__ import annotations

import contextlib
import json
import os
import signal
import sys
import time
import webbrowser
from collections.abc import Iterator
from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer
from rich.console import Console

from dovrel.bench.commands import app as bench
from dovrel.errors import Refused
from dovrel.headless import options
from dovrel.headless.checked import DEFAULT_DATA, files_checked, inputs_checked
from dovrel.headless.commands import COMMANDS
from dovrel.headless.examples import EXAMPLES, epilog_of, name_of
from dovrel.machine.files import write_private
from dovrel.machine.secret import ENTRANCE, Secret

if TYPE_CHECKING:
    from dovrel.core.steps.correction import Correction
    from dovrel.headless.files import Input

app = typer.Typer(
    help="Dovrel measures, balances and matches the shots of a shooting day.\n\nStart with ./dovrel demo. Run every check and test with ./dovrel test.",
    no_args_is_help=True,
    add_completion=False,
    pretty_exceptions_enable=False,
    rich_markup_mode=None,
)
app.add_typer(bench, name="bench", help="Measure speed, memory and quality.")
console = Console(highlight=False)

DEFAULT_PORT = 8460

for command in COMMANDS:
    app.command()(command)


def _write(
    source: Input,
    shot: Correction,
    output: str,
    cdl: Path | None,
    correction: Path | None,
    cube: Path | None,
    picture: Path | None,
) -> None:
    if not (cdl or correction or cube or picture):
        return
    from dovrel.core.steps.levels import FourLevels
    from dovrel.headless.writing import Targets, write_results

    write_results(source, FourLevels(shot=shot), output, Targets(cdl, correction, cube, picture))


def _read_correction(path: Path | None, name: str | None) -> Correction | None:
    if path is None:
        return None
    from dovrel.headless.corrections import read_correction

    return read_correction(path, name)


@app.command()
def measure(
    file: options.File,
    encoding: options.Encoding = None,
    output: options.Output = "rec709",
    frame: options.Frame = 0,
    correction: Annotated[
        Path | None, typer.Option(metavar="FILE", help="Grade before measuring: a correction file, or a CDL file.")
    ] = None,
    name: options.Name = None,
    as_json: options.Json = False,
) -> None:
    """Measure a picture, or one frame of a clip.

    It prints the ten readings in %, the encoding, and why it uses this one.
    """
    from dovrel.headless import measuring
    from dovrel.headless.files import Input

    with files_checked():
        result = measuring.measure(Input(file, encoding, frame), output, _read_correction(correction, name))
    if as_json:
        print(json.dumps(result, indent=1))
    else:
        measuring.print_measure(console, result)


@app.command()
def balance(
    file: options.File,
    encoding: options.Encoding = None,
    output: options.Output = "rec709",
    frame: options.Frame = 0,
    cdl: options.Cdl = None,
    correction: options.Correction = None,
    cube: options.Cube = None,
    picture: options.Picture = None,
    as_json: options.Json = False,
) -> None:
    """Balance a picture: its exposure and its white."""
    from dovrel.headless import balancing
    from dovrel.headless.files import Input

    with files_checked():
        source = Input(file, encoding, frame)
        result, corrected = balancing.balance(source, output)
        _write(source, corrected, output, cdl, correction, cube, picture)
    print(json.dumps(result, indent=1) if as_json else balancing.describe_balance(result))


@app.command()
def match(
    ref: Annotated[
        Path, typer.Argument(metavar="REF", help="The reference: a picture, or a clip.", show_default=False)
    ],
    shots: Annotated[list[Path], typer.Argument(metavar="SHOT", help="The shots to match to it.", show_default=False)],
    ref_encoding: options.Encoding = None,
    shot_encoding: options.Encoding = None,
    output: options.Output = "rec709",
    ref_frame: Annotated[int, typer.Option(min=0, metavar="N", help="The frame of REF; the first is 0.")] = 0,
    shot_frame: Annotated[int, typer.Option(min=0, metavar="N", help="The frame of every SHOT; the first is 0.")] = 0,
    strength: Annotated[
        float, typer.Option(min=0, max=1, metavar="X", help="How much of the match to apply, 0 to 1.")
    ] = 1.0,
    extended: Annotated[bool, typer.Option(help="Add the extended step, which a CDL does not carry.")] = False,
    cameras: Annotated[
        str | None, typer.Option(metavar="A,B,…", help="The camera of each SHOT, in their order: A,B,A.")
    ] = None,
    ref_camera: Annotated[str | None, typer.Option(metavar="A", help="The camera of REF.")] = None,
    cdl: options.Cdl = None,
    correction: options.Correction = None,
    cube: options.Cube = None,
    picture: options.Picture = None,
    pictures: Annotated[
        Path | None,
        typer.Option(metavar="FOLDER", help="Write the graded pictures of several SHOTs, named as they are."),
    ] = None,
    cdls: Annotated[
        Path | None, typer.Option(metavar="FOLDER", help="Write a .cdl of each of several SHOTs, named as they are.")
    ] = None,
    as_json: options.Json = False,
) -> None:
    """Match each SHOT to REF.

    It prints CDL values, ΔE before and after, and the confidence. Several SHOTs
    are matched as a family: a SHOT that shares nothing with REF is linked to it
    through the others. An answer of low confidence is not applied: it is an offer.
    """
    from dovrel.headless.files import Input

    with files_checked():
        sources = [Input(shot, shot_encoding, shot_frame) for shot in shots]
        reference = Input(ref, ref_encoding, ref_frame)
        if len(sources) > 1 or pictures or cdls:
            from dovrel.headless import family

            if extended or cdl or correction or cube or picture:
                raise Refused("use --pictures and --cdls for several shots; each gets a CDL")
            result, corrected = family.match_family(
                reference,
                sources,
                output,
                strength,
                cameras=cameras.split(",") if cameras else None,
                reference_camera=ref_camera,
            )
            family.write_family(sources, corrected, output, family.Folders(pictures, cdls))
            said = family.describe_family(result)
        else:
            from dovrel.headless import matching

            result, found = matching.match_pair(reference, sources[0], output, strength, extended=extended)
            _write(sources[0], found, output, cdl, correction, cube, picture)
            said = matching.describe_match(result)
    print(json.dumps(result, indent=1) if as_json else said)


@app.command()
def export(
    file: options.File,
    cdl: Annotated[
        Path | None, typer.Option(metavar="FILE", help="The CDL to apply: a .cdl, .cc or .ccc file.")
    ] = None,
    correction: Annotated[
        Path | None, typer.Option(metavar="FILE", help="The correction file to apply, .json.")
    ] = None,
    encoding: options.Encoding = None,
    output: options.Output = "rec709",
    frame: options.Frame = 0,
    name: options.Name = None,
    cube: options.Cube = None,
    picture: options.Picture = None,
    family: options.Family = None,
    show: options.Show = None,
    look: options.Look = None,
) -> None:
    """Apply a correction to a picture and write the result.

    The family's and the show's steps follow the shot's if you give them.
    """
    from dovrel.headless.files import Input

    with files_checked():
        if cube is None and picture is None:
            raise Refused("nothing to write: give --picture or --cube")
        corrected = _read_correction(cdl or correction, name)
        if corrected is None or (cdl and correction):
            raise Refused("give the correction to apply: --correction or --cdl, one of the two")
        source = Input(file, encoding, frame)
        if not source.is_still and any(step.keyframes for step in corrected.steps):
            from dovrel.core.steps.correction import PLAIN
            from dovrel.media.footage import probe

            corrected.refuse_beyond(probe(file).frames, PLAIN["shot"])
        from dovrel.headless.corrections import with_levels
        from dovrel.headless.writing import Targets, write_results

        levels = with_levels(corrected, family, show, look or ())
        write_results(source, levels, output, Targets(cube=cube, picture=picture))


@app.command()
def report(
    to: Annotated[Path, typer.Argument(metavar="FOLDER", help="The folder to write to.", show_default=False)],
    data: options.Data = DEFAULT_DATA,
) -> None:
    """Write the shooting day's report.

    A running Dovrel gives a page to read, and a table of all measurements.
    """
    from dovrel.headless.reporting import report as written

    with inputs_checked():
        for path in written(_address(data), data.resolve(), to):
            print(path)


@app.command()
def handover(
    to: Annotated[Path, typer.Argument(metavar="FOLDER", help="A new folder to write to.", show_default=False)],
    formats: Annotated[
        list[str],
        typer.Option(
            "--format", metavar="NAME", help="cdl, cc, ccc, cube, clf, amf, otio or edl; give it again for more."
        ),
    ],
    shot: Annotated[
        list[str] | None, typer.Option(metavar="NAME", help="A shot; all measured shots if left out.")
    ] = None,
    names: Annotated[str, typer.Option(metavar="TEXT", help="File names, as on the page: {scene}_{name}.")] = "{name}",
    points: Annotated[int, typer.Option(metavar="N", help="Points a side of a .cube: 17, 33 or 65.")] = 33,
    stretches: Annotated[
        bool, typer.Option(help="Write a file for each stretch between keyframes, not for each keyframe.")
    ] = False,
    data: options.Data = DEFAULT_DATA,
) -> None:
    """Hand over the shooting day's corrections.

    It takes them from a running Dovrel, and writes any format of the page.
    """
    from dovrel.headless.handing import asked, hand_over
    from dovrel.jobs.handing_numbers import Numbers

    with inputs_checked():
        if points not in (17, 33, 65):
            raise Refused(f"a .cube has 17, 33 or 65 points a side, not {points}")
        numbers = Numbers(asked(formats), "stretches" if stretches else "keyframes", points)
        for path in hand_over(_address(data), data.resolve(), to, numbers, names, shot or []):
            print(path)


@app.command()
def correction_schema() -> None:
    """Print the JSON Schema of correction files."""
    from dovrel.core.steps.documents import json_schema

    print(json.dumps(json_schema(), indent=1))


@app.command()
def openapi() -> None:
    """Print the service's OpenAPI description."""
    from dovrel.service.app import create_app
    from dovrel.service.settings import Settings

    print(json.dumps(create_app(Settings("postgresql://unused", Path("/nonexistent"))).openapi(), indent=1))


@app.command()
def demo(
    port: options.Port = DEFAULT_PORT,
    data: options.Data = DEFAULT_DATA,
    browser: Annotated[bool, typer.Option(help="Open the page in a browser.")] = True,
    media: options.Media = None,
    workers: options.Workers = 1,
) -> None:
    """Start Dovrel with the demo production, Quire Lane."""
    _run(port, data, media or [], workers, with_demo=True, browser=browser)


@app.command()
def serve(
    port: options.Port = DEFAULT_PORT,
    data: options.Data = DEFAULT_DATA,
    media: options.Media = None,
    browser: Annotated[bool, typer.Option(help="Open the page in a browser.")] = False,
    workers: options.Workers = 1,
) -> None:
    """Start Dovrel on your own footage.

    Name its folders with --media.
    """
    _run(port, data, media or [], workers, with_demo=False, browser=browser)


@app.command()
def worker(
    database_file: Annotated[
        Path | None,
        typer.Option(metavar="FILE", help="A file with the database's address; that of --data if left out."),
    ] = None,
    data: Annotated[
        Path, typer.Option(metavar="FOLDER", envvar="DOVREL_DATA", help="The folder that Dovrel writes to.")
    ] = DEFAULT_DATA,
    media: Annotated[
        list[Path] | None, typer.Option(metavar="FOLDER", help="A folder with footage.", envvar="DOVREL_MEDIA")
    ] = None,
    threads: Annotated[
        int | None,
        typer.Option(
            min=1, max=256, metavar="N", envvar="DOVREL_THREADS", help="Threads, 1 to 256; one a core if left out."
        ),
    ] = None,
) -> None:
    """Run a Dovrel's long work on another machine.

    The machine must reach the database and the footage.

    The database's address holds a password, so it is read from --database-file or from DOVREL_DATABASE.
    """
    from dovrel.core.colour import look_files, tables
    from dovrel.jobs.cores import threads_each
    from dovrel.jobs.worker import work
    from dovrel.media import opening

    with inputs_checked():
        if not media and "DOVREL_MEDIA" not in os.environ:
            raise Refused("name the folders that clips are read from with --media")
        address = _address_from(database_file) if database_file else os.environ.get("DOVREL_DATABASE")
        address = address or _address(data)
        opening.read_only_below(media or [], data)
    os.umask(0o077)
    data.mkdir(parents=True, exist_ok=True)
    os.environ["DOVREL_DATABASE"], os.environ["DOVREL_DATA"] = address, str(data.resolve())
    tables.keep_for_all()
    look_files.keep_in(data.resolve() / "looks")
    work(address, threads or threads_each(1), data.resolve())


@app.command()
def database(
    data: options.Data = DEFAULT_DATA,
    to: Annotated[Path | None, typer.Option(metavar="FILE", help="Write it to a file that only you can read.")] = None,
) -> None:
    """Print the database's address, for other machines.

    The address holds a password.
    """
    found = _address(data)
    if to is None:
        print(found)
        return
    with inputs_checked():
        write_private(to, found + "\n")


@app.command()
def address(
    data: options.Data = DEFAULT_DATA,
    renew: Annotated[
        bool, typer.Option("--renew", help="Make a new secret; every browser must open the new address.")
    ] = False,
) -> None:
    """Print the address to open in a browser."""
    from dovrel.running import ADDRESS

    with inputs_checked():
        at = data / ADDRESS
        if not at.is_file():
            raise Refused(f"no Dovrel runs on {data}; start it first")
        secret = Secret(data)
        if renew:
            secret.renew()
            server = at.read_text().split(ENTRANCE)[0]
            write_private(at, secret.address(server) + "\n")
        print(at.read_text().strip())


def _address_from(file: Path) -> str:
    if not file.is_file():
        raise Refused(f"{file.name}: there is no such file")
    return file.read_text().strip()


def _address(data: Path) -> str:
    from dovrel.store.cluster import Cluster

    with inputs_checked():
        return Cluster(data / "postgres").address()


def _run(port: int, data: Path, media: list[Path], workers: int, *, with_demo: bool, browser: bool) -> None:
    from dovrel.running import Running

    def stop(*_: object) -> None:
        raise KeyboardInterrupt

    signal.signal(signal.SIGTERM, stop)
    started = time.monotonic()
    running = Running(data.resolve(), port, media, workers, with_demo=with_demo)
    with inputs_checked(), contextlib.suppress(KeyboardInterrupt), _giving_up(), running:
        running.wait_until_ready()
        print(f"Dovrel is at {running.entrance}  ({time.monotonic() - started:.1f} s)", flush=True)
        if browser and os.environ.get("DISPLAY"):
            webbrowser.open(running.entrance)
        running.wait()


@contextlib.contextmanager
def _giving_up() -> Iterator[None]:
    """A part that will not run ends with its sentence on standard error and exit code 1."""
    from dovrel.running.parts import GaveUp

    try:
        yield
    except GaveUp as error:
        print(error, file=sys.stderr)
        raise typer.Exit(1) from error


app.registered_commands.sort(key=lambda info: list(EXAMPLES).index(name_of(info)))
for info in app.registered_commands:
    info.epilog = epilog_of(name_of(info))


if __name__ == "__main__":
    app(prog_name="./dovrel")
