"""Arguments and options that commands share, each with what help says of it."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated

import typer

Json = Annotated[bool, typer.Option("--json", help="Print JSON.")]
Encoding = Annotated[
    str | None,
    typer.Option(metavar="NAME", help="The encoding, or file:PATH of a CLF or .cube; by the file's tags if left out."),
]
Output = Annotated[
    str,
    typer.Option(
        "--output", "--output-transform", metavar="NAME", help="The output: rec709, p3-d65, pq-1000 or plain-video."
    ),
]
Clip = Annotated[Path, typer.Argument(metavar="CLIP", help="A clip.", show_default=False)]
Name = Annotated[str | None, typer.Option(metavar="ID", help="Which correction of a file that has several.")]
Family = Annotated[
    Path | None, typer.Option(metavar="FILE", help="The family's steps, after the shot's: a correction file.")
]
Show = Annotated[
    Path | None, typer.Option(metavar="FILE", help="The show's steps, after all others: a correction file.")
]
Look = Annotated[
    list[Path] | None,
    typer.Option(metavar="FILE", help="A table file that a look in these steps uses; give it again for more."),
]
Port = Annotated[int, typer.Option(metavar="N", help="The port on this machine, 127.0.0.1.")]
Workers = Annotated[int, typer.Option(min=1, max=64, metavar="N", help="Worker processes on this machine, 1 to 64.")]
Data = Annotated[
    Path, typer.Option(metavar="FOLDER", help="The folder that Dovrel writes to: database, proxies, caches.")
]
Media = Annotated[
    list[Path] | None, typer.Option(metavar="FOLDER", help="A folder with footage; give it again for more.")
]
File = Annotated[Path, typer.Argument(metavar="FILE", help="A picture, or a clip.", show_default=False)]
Frame = Annotated[int, typer.Option(min=0, metavar="N", help="The frame of a clip; the first is 0.")]
Cdl = Annotated[Path | None, typer.Option(metavar="FILE", help="Write the CDL: a .cdl, .cc or .ccc file.")]
Correction = Annotated[Path | None, typer.Option(metavar="FILE", help="Write a correction file, .json.")]
Cube = Annotated[
    Path | None, typer.Option(metavar="FILE", help="Write the whole correction as a .cube of 33 points a side.")
]
Picture = Annotated[
    Path | None, typer.Option(metavar="FILE", help="Write the graded picture: .png, .tif, .exr or .jpg.")
]
