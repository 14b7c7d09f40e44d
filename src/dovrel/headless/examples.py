"""Examples for each command's help, on the demo's clips; each works when it is pasted into a shell at Dovrel's folder."""

from __future__ import annotations

from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from typer.models import CommandInfo

_CARDS = "src/dovrel/demo/cards"
_WIDE, _CLOSE = f"{_CARDS}/CV12-12B/TAKE/cv12b001.mov", f"{_CARDS}/CV12-12B/TAKE/cv12b002.mov"

EXAMPLES: dict[str, tuple[str, ...]] = {
    "demo": ("./dovrel demo", "./dovrel demo --port 8470 --data /tmp/dovrel-demo"),
    "serve": ("./dovrel serve --media ~/Footage",),
    "address": ("./dovrel address", "./dovrel address --renew"),
    "measure": (f"./dovrel measure {_WIDE} --frame 12",),
    "balance": (f"./dovrel balance {_WIDE} --frame 12 --cdl balanced.cdl --picture balanced.png",),
    "match": (
        f"./dovrel match {_WIDE} {_CLOSE} --correction matched.json",
        f"./dovrel match {_WIDE} {_CLOSE} {_CARDS}/PETREL12/MOVIE/PTL00001.MP4 --cdls matched",
    ),
    "export": (
        f"./dovrel balance {_WIDE} --correction balanced.json",
        f"./dovrel export {_WIDE} --correction balanced.json --picture graded.png",
    ),
    "render": (f"./dovrel render {_WIDE} --clip graded.mov --width 640",),
    "drift": (f"./dovrel drift {_WIDE}",),
    "steady": (f"./dovrel steady {_WIDE} --correction steady.json",),
    "track": (f"./dovrel track {_WIDE} --box 0.4,0.3,0.2,0.2",),
    "hold": (f"./dovrel hold {_WIDE} --box 0.4,0.3,0.2,0.2 --correction held.json",),
    "pick": (f"./dovrel pick {_WIDE} --in 0.4,0.5 --in 0.45,0.5 --out 0.9,0.1 --matte matte.png",),
    "report": ("./dovrel report report-of-the-day",),
    "handover": ("./dovrel handover for-the-edit --format cdl --format edl",),
    "worker": ("./dovrel worker --database-file database.txt --media ~/Footage",),
    "database": ("./dovrel database --to database.txt",),
    "correction-schema": ("./dovrel correction-schema > correction.schema.json",),
    "openapi": ("./dovrel openapi > openapi.json",),
}
"""By the command's name, in the order in which help lists the commands."""


def name_of(command: CommandInfo) -> str:
    """A command's name on the command line."""
    assert command.callback
    return command.name or command.callback.__name__.replace("_", "-")


def epilog_of(name: str) -> str:
    """The examples as a help's last lines, which are not wrapped."""
    return "\b\nExamples:\n" + "\n".join(f"  {line}" for line in EXAMPLES[name])
