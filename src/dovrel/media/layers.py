"""Which channels of a still are its picture, and which part of its pixels is shown."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

import numpy as np
import OpenImageIO as oiio

_COLOURS = ({"r": 0, "g": 1, "b": 2}, {"red": 0, "green": 1, "blue": 2})
_GREY = ("y", "l", "grey", "gray")
_OTHER_USES_OF_Y = {"x", "z", "ry"}
"""Channels beside which a Y is no grey: those of a vector, and of colours kept as differences."""
_PICTURES = ("", "rgba", "rgb", "beauty", "combined", "color", "colour", "final", "main", "left")
"""Names of layers that are the picture itself, the likeliest first."""
_NAMED = 6


class NoPicture(Exception):
    """No channel holds a picture."""


@dataclass(frozen=True)
class Layer:
    """
    Attributes
    ----------
    part : which of the file's pictures; channels : the numbers of its red, green and blue, or of its grey alone
    name : of the layer; empty where it has none
    others : names of layers that might be the picture as well; empty if it is plain which one is
    """

    part: int
    channels: tuple[int, ...]
    name: str = ""
    others: tuple[str, ...] = ()


def picture_layer(parts: Iterable[oiio.ImageSpec]) -> Layer:
    """The layer that is the picture, of the parts of a file whose channels have names.

    Raises
    ------
    NoPicture
        If no part holds red, green and blue, or a grey; its message names the channels.
    """
    found: list[Layer] = []
    names: list[str] = []
    for number, spec in enumerate(parts):
        of_part = str(spec.getattribute("oiio:subimagename") or spec.getattribute("name") or "")
        names += spec.channelnames
        found += _layers_of(number, of_part, spec.channelnames)
    if not found:
        more = " and more" if len(names) > _NAMED else ""
        raise NoPicture(f"holds no picture; its channels are {', '.join(names[:_NAMED])}{more}")
    in_colour = [layer for layer in found if len(layer.channels) == 3] or found
    for likely in _PICTURES:
        for layer in in_colour:
            if layer.name.casefold() == likely:
                return layer
    first = in_colour[0]
    return Layer(first.part, first.channels, first.name, tuple(layer.name for layer in in_colour[1:]))


def _layers_of(part: int, of_part: str, channels: tuple[str, ...]) -> list[Layer]:
    groups: dict[str, dict[str, int]] = {}
    for number, channel in enumerate(channels):
        layer, _, last = channel.rpartition(".")
        groups.setdefault(layer, {})[last.casefold()] = number
    found = []
    for layer, last in groups.items():
        name = layer or (of_part if part else "")
        for colours in _COLOURS:
            if colours.keys() <= last.keys():
                found.append(Layer(part, tuple(last[colour] for colour in colours), name))
        grey = next((last[name] for name in _GREY if name in last), None)
        if grey is not None and not last.keys() & _OTHER_USES_OF_Y:
            found.append(Layer(part, (grey,), name))
    return found


def in_display_window(pixels: np.ndarray, spec: oiio.ImageSpec) -> np.ndarray:
    """Pixels (H, W, C) of the data window on the display window: black where there are none, without those outside it."""
    left, top = spec.x - spec.full_x, spec.y - spec.full_y
    if (left, top) == (0, 0) and pixels.shape[:2] == (spec.full_height, spec.full_width):
        return pixels
    shown = np.zeros((spec.full_height, spec.full_width, pixels.shape[2]), pixels.dtype)
    rows = slice(max(top, 0), min(top + pixels.shape[0], spec.full_height))
    columns = slice(max(left, 0), min(left + pixels.shape[1], spec.full_width))
    if rows.start < rows.stop and columns.start < columns.stop:
        shown[rows, columns] = pixels[rows.start - top : rows.stop - top, columns.start - left : columns.stop - left]
    return shown


def upright(pixels: np.ndarray, orientation: int) -> np.ndarray:
    """A picture (H, W, C) stored in one of the eight orientations of Exif and TIFF, as it is to be seen."""
    if orientation in (5, 6, 7, 8):
        pixels = pixels.swapaxes(0, 1)
    if orientation in (3, 4, 7, 8):
        pixels = pixels[::-1]
    return pixels[:, ::-1] if orientation in (2, 3, 6, 7) else pixels
