"""A clip rendered under its corrections."""

from __future__ import annotations

import json
import sys
from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer
from rich.console import Console

from dovrel.headless.checked import EncodingOption, JsonOption, OutputOption, files_checked

if TYPE_CHECKING:
    from dovrel.core.steps.levels import FourLevels
    from dovrel.jobs.picturing import Pictures
    from dovrel.jobs.rendering import Rendered
    from dovrel.media.frames import Source
    from dovrel.media.writing import Kind


def render(
    clip: Path,
    to: Annotated[Path, typer.Option("--clip", help="The file to write, or the folder for a sequence of stills.")],
    kind: Annotated[
        str | None,
        typer.Option(
            help="prores-4444, prores-422, hevc, h264, dpx, exr, tiff or png; by the file's name if left out."
        ),
    ] = None,
    correction: Annotated[
        Path | None, typer.Option(help="The shot's correction: a correction file, or a CDL file.")
    ] = None,
    name: Annotated[str | None, typer.Option(help="Which correction of a collection.")] = None,
    family: Annotated[Path | None, typer.Option(help="A family's look after it: a correction file.")] = None,
    show: Annotated[Path | None, typer.Option(help="The show's finish after all: a correction file.")] = None,
    look: Annotated[list[Path] | None, typer.Option(help="A table file that a look in them goes by.")] = None,
    width: Annotated[int | None, typer.Option(min=16, help="Make the pictures as wide, if they are wider.")] = None,
    aspect: Annotated[
        float | None, typer.Option(min=0.2, max=5, help="Cut the pictures about their middle to this width by height.")
    ] = None,
    first: Annotated[
        int | None, typer.Option(min=0, max=9_999_999, help="Number of the first still; by its timecode if not given.")
    ] = None,
    burn: Annotated[bool, typer.Option(help="Burn the clip's name and timecode into the pictures.")] = False,
    encoding: EncodingOption = None,
    output: OutputOption = "rec709",
    as_json: JsonOption = False,
) -> None:
    """Render a clip under its corrections, read it again and say how far it is from what was developed."""
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
            f"{to.name}: {result.frames} frames, {chosen.name}; read again, {result.difference:.2f} CIEDE2000 from the Desk's picture"
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
