"""Commands on clips along time, and on parts of a picture."""

from __future__ import annotations

import json
from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from dovrel.errors import Refused
from dovrel.headless import options
from dovrel.headless.checked import files_checked
from dovrel.headless.rendering import render

if TYPE_CHECKING:
    from dovrel.core.steps.correction import Correction
    from dovrel.core.steps.pick import Pick
    from dovrel.core.time.follow import Box
    from dovrel.headless.along import Clip

BoxOption = Annotated[str, typer.Option(metavar="X,Y,W,H", help="Left, top, width and height, 0 to 1 of the picture.")]
AtOption = Annotated[int | None, typer.Option(min=0, metavar="N", help="The frame of the box; the first if left out.")]
ClipTarget = Annotated[Path | None, typer.Option("--clip", metavar="FILE", help="Write the graded clip, .mov.")]


def _box(text: str) -> Box:
    from dovrel.core.time.follow import Box

    try:
        x, y, width, height = (float(part) for part in text.split(","))
    except ValueError:
        raise Refused(f"a box is four numbers x,y,w,h in parts of the picture, not “{text[:40]}”") from None
    return Box(x, y, width, height)


def _box_at(text: str) -> tuple[int, Box]:
    box, _, frame = text.partition("@")
    if not frame.isdecimal():
        raise Refused(f"a box on another frame is x,y,w,h@F, not “{text[:40]}”")
    return int(frame), _box(box)


def _told(result: dict, *, as_json: bool) -> None:
    from dovrel.headless.along import describe

    print(json.dumps(result, indent=1) if as_json else describe(result))


def _write(clip: Clip, corrected: Correction, correction: Path | None, target: Path | None) -> None:
    if correction:
        from dovrel.formats import correction_file

        correction_file.write(correction, corrected)
    if target:
        from dovrel.core.steps.levels import FourLevels
        from dovrel.jobs.rendering import kind_of, render
        from dovrel.media.frames import Source

        source = Source(0, clip.file, clip.info, clip.way.encoding, clip.way.output)
        render(source, FourLevels(shot=corrected), target, kind_of(target, None))


def drift(
    clip: options.Clip,
    encoding: options.Encoding = None,
    output: options.Output = "rec709",
    as_json: options.Json = False,
) -> None:
    """Measure a clip along its length.

    It prints readings, changes of light, and whether the clip is steady.
    """
    from dovrel.headless import along

    with files_checked():
        result = along.drift(along.Clip(clip, encoding, output))
    _told(result, as_json=as_json)


def track(
    clip: options.Clip,
    box: BoxOption,
    at: AtOption = None,
    encoding: options.Encoding = None,
    output: options.Output = "rec709",
    as_json: options.Json = False,
) -> None:
    """Follow a box on a subject through a clip."""
    from dovrel.headless import along

    with files_checked():
        result = along.track(along.Clip(clip, encoding, output), _box(box), at)
    _told(result, as_json=as_json)


def hold(
    clip: options.Clip,
    box: BoxOption,
    at: AtOption = None,
    first: Annotated[int, typer.Option(min=0, metavar="N", help="The first frame to hold.")] = 0,
    last: Annotated[
        int | None, typer.Option(min=0, metavar="N", help="The last frame to hold; the clip's last if left out.")
    ] = None,
    against: Annotated[
        Path | None, typer.Option(metavar="PICTURE", help="Hold the subject to this picture, not to its own look.")
    ] = None,
    again: Annotated[
        list[str] | None,
        typer.Option(metavar="X,Y,W,H@N", help="The subject's box on frame N, where tracking lost it."),
    ] = None,
    tolerance: Annotated[
        float, typer.Option(min=0.2, max=10, metavar="ΔE", help="The ΔE that may be left, 0.2 to 10.")
    ] = 1.0,
    correction: options.Correction = None,
    target: ClipTarget = None,
    encoding: options.Encoding = None,
    output: options.Output = "rec709",
    as_json: options.Json = False,
) -> None:
    """Hold the look of a subject through a clip.

    Keyframes of exposure and white keep it as it is on one frame.
    """
    from dovrel.headless import along

    with files_checked():
        source = along.Clip(clip, encoding, output)
        subject = along.Subject(_box(box), tuple(_box_at(one) for one in again or ()), tolerance)
        result, corrected = along.held(source, subject, along.Stretch(at, first, last), against)
        _write(source, corrected, correction, target)
    _told(result, as_json=as_json)


def steady(
    clip: options.Clip,
    correction: options.Correction = None,
    target: ClipTarget = None,
    encoding: options.Encoding = None,
    output: options.Output = "rec709",
    as_json: options.Json = False,
) -> None:
    """Remove a camera's slow drift of exposure and white.

    This is Steady light of the Desk: it sets keyframes.
    """
    from dovrel.headless import along

    with files_checked():
        source = along.Clip(clip, encoding, output)
        result, corrected = along.steadied(source)
        _write(source, corrected, correction, target)
    _told(result, as_json=as_json)


def _place(text: str) -> tuple[float, float]:
    try:
        x, y = (float(part) for part in text.split(","))
    except ValueError:
        raise Refused(f"a place is two numbers x,y in parts of the picture, not “{text[:40]}”") from None
    return x, y


def pick(
    picture: options.File,
    taken: Annotated[
        list[str] | None, typer.Option("--in", metavar="X,Y", help="Include the colour here, 0 to 1 of the picture.")
    ] = None,
    left: Annotated[list[str] | None, typer.Option("--out", metavar="X,Y", help="Exclude the colour here.")] = None,
    reach: Annotated[
        float | None,
        typer.Option(metavar="X", help="Distance from a sample within which colours are fully selected, 0 to 0.5."),
    ] = None,
    soft: Annotated[
        float | None,
        typer.Option(metavar="X", help="Distance beyond it over which selection falls to zero, 0.015 to 0.3."),
    ] = None,
    specks: Annotated[
        float, typer.Option(metavar="X", help="Remove specks up to this size, in widths of the picture.")
    ] = 0.0,
    holes: Annotated[
        float, typer.Option(metavar="X", help="Fill holes up to this size, in widths of the picture.")
    ] = 0.0,
    edge: Annotated[float, typer.Option(metavar="X", help="Width of the soft edge, in widths of the picture.")] = 0.0,
    frame: options.Frame = 0,
    matte: Annotated[
        Path | None, typer.Option(metavar="FILE", help="Write the selection as a picture, black to white.")
    ] = None,
    correction: Annotated[
        Path | None, typer.Option(metavar="FILE", help="Write a correction file with the pick, .json.")
    ] = None,
    encoding: options.Encoding = None,
    output: options.Output = "rec709",
    as_json: options.Json = False,
) -> None:
    """Pick colours of a picture by samples of it."""
    from dovrel.headless import picking
    from dovrel.headless.files import Input

    with files_checked():
        source = Input(picture, encoding, frame)
        wanted = picking.Wanted(reach, soft, specks, holes, edge)
        places, others = ([_place(one) for one in many or ()] for many in (taken, left))
        made, share = picking.pick(source, output, places, others, wanted)
        if matte:
            picking.write_matte(matte, share)
        _write_pick(correction, made)
    result = picking.described(source, made, share)
    told = f"{picture.name}: {len(made.taken)} in, {len(made.left)} out, {result['share']:.2%} of the picture"
    print(json.dumps(result, indent=1) if as_json else told)


def _write_pick(target: Path | None, made: Pick) -> None:
    if target:
        from dovrel.formats import correction_file
        from dovrel.headless.picking import as_correction

        correction_file.write(target, as_correction(made))


COMMANDS = (drift, track, hold, steady, pick, render)
