"""A clip rendered under its corrections."""

from __future__ import annotations

import json
import sys
from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer
from rich.console import Console

from dovrel.headless import options
from dovrel.headless.checked import files_checked

if TYPE_CHECKING:
    from dovrel.core.steps.levels import FourLevels
    from dovrel.jobs.picturing import Pictures
    from dovrel.jobs.rendering import Rendered
    from dovrel.media.frames import Source
    from dovrel.media.writing import Kind


def render(
    clip: options.Clip,
    to: Annotated[
        Path, typer.Option("--clip", metavar="PATH", help="The file to write, or the folder of a sequence of stills.")
    ],
    kind: Annotated[
        str | None,
        typer.Option(
            metavar="NAME",
            help="prores-4444, prores-422, hevc, h264, dpx, exr, tiff or png; by the file's name if left out.",
        ),
    ] = None,
    correction: Annotated[
        Path | None, typer.Option(metavar="FILE", help="The shot's correction: a correction file, or a CDL file.")
    ] = None,
    name: options.Name = None,
    family: options.Family = None,
    show: options.Show = None,
    look: options.Look = None,
    width: Annotated[
        int | None, typer.Option(min=16, metavar="PIXELS", help="Scale wider pictures down to this width, 16 or more.")
    ] = None,
    aspect: Annotated[
        float | None,
        typer.Option(min=0.2, max=5, metavar="RATIO", help="Crop to this width by height, 0.2 to 5, about the middle."),
    ] = None,
    first: Annotated[
        int | None,
        typer.Option(min=0, max=9_999_999, metavar="N", help="Number of the first still; by its timecode if left out."),
    ] = None,
    burn: Annotated[bool, typer.Option(help="Burn the clip's name and timecode into the pictures.")] = False,
    encoding: options.Encoding = None,
    output: options.Output = "rec709",
    as_json: options.Json = False,
) -> None:
    """Render a clip with its corrections.

    Dovrel then reads the file again and reports its ΔE to the Desk's picture.
    """
    with files_checked():
        from dovrel.core.steps.correction import PLAIN
        from dovrel.headless.along import Clip
        from dovrel.headless.corrections import read_correction, with_levels
        from dovrel.jobs import rendering
        from dovrel.jobs.picturing import Pictures
        from dovrel.media.frames import Source

        chosen = rendering.kind_of(to, kind)
        shot = read_correction(correction, name) if correction else PLAIN["shot"]
        levels = with_levels(shot, family, show, look or ())
        source = Clip(clip, encoding, output)
        levels.shot.refuse_beyond(source.info.frames, PLAIN["shot"])
        of_file = Source(0, source.file, source.info, source.way.encoding, output)
        pictures = Pictures(width, aspect, clip.stem if burn else None, first)
        result = _told_on_the_way(of_file, levels, to, chosen, pictures)
    said = {"file": to.name, "kind": chosen.name, "frames": result.frames, "difference": round(result.difference, 4)}
    said |= {"differs": result.differs} if result.differs else {}
    if as_json:
        print(json.dumps(said, indent=1))
    else:
        print(
            f"{to.name}: {result.frames} frames, {chosen.name}; read again, ΔE {result.difference:.2f} to the Desk's picture"
        )
    if result.differs:
        print(f"{to.name} is not what it should be: {result.differs}", file=sys.stderr)
        raise typer.Exit(1)


def _told_on_the_way(source: Source, levels: FourLevels, to: Path, kind: Kind, pictures: Pictures) -> Rendered:
    from rich.progress import Progress

    from dovrel.jobs.rendering import render as rendered

    with Progress(console=Console(stderr=True), transient=True) as progress:
        task = progress.add_task(to.name, total=1.0)
        return rendered(source, levels, to, kind, lambda part: progress.update(task, completed=part), pictures)
