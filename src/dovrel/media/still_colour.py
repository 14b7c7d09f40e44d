"""What a still says of its colours: cICP, ICC profile, sRGB, gAMA and cHRM, chromaticities, colorInteropID, DPX transfer."""

from __future__ import annotations

import struct
from dataclasses import dataclass
from pathlib import Path

import numpy as np
import OpenImageIO as oiio

from dovrel.media import colorimetry
from dovrel.media.icc import read_profile

_PNG = b"\x89PNG\r\n\x1a\n"
_MOST_CHUNKS = 200
_MOST_OF_A_CHUNK = 64
_INTEROP_TRANSFERS = {
    "lin": "linear", "srgb": "sRGB", "srgbe": "sRGB", "g22": "sRGB", "g24": "BT.709", "pq": "PQ", "hlg": "HLG",
}  # fmt: skip
_INTEROP_PRIMARIES = {"rec709": "BT.709", "rec2020": "BT.2020", "p3d65": "P3-D65", "ap0": "AP0", "ap1": "AP1"}
"""The parts of a name of the Color Interop Forum: lin_ap1_scene, srgb_p3d65_display."""
_VIDEO = ("709", "601", "274")
"""In the name of a DPX's characteristic that is one of video."""
_FILM = ("Printing density", "Logarithmic")
_SRGB_OF_EXIF = 1


@dataclass(frozen=True)
class StillColour:
    """
    Attributes
    ----------
    transfer, primaries : by the names of :mod:`dovrel.media.colorimetry`; empty where the file does not say
    full_range : False if code values are of narrow range
    warning : what the file says that cannot be told by these; empty if there is nothing
    """

    transfer: str = ""
    primaries: str = ""
    full_range: bool = True
    warning: str = ""


NOTHING_SAID = StillColour()


def colour_of(here: Path, spec: oiio.ImageSpec, bits: int) -> StillColour:
    """What the header of the still that is open at `here` says of its colours; `bits` are those of a sample."""
    chunks = _png_chunks(here)
    if len(cicp := chunks.get(b"cICP", b"")) == 4:
        return _by_code_points(*cicp[:2], full_range=bool(cicp[3]))
    if (profile := spec.getattribute("ICCProfile")) is not None:
        return _by_profile(
            bytes(np.asarray(profile, np.uint8)), str(spec.getattribute("ICCProfile:profile_description") or "")
        )
    if b"sRGB" in chunks:
        return StillColour("sRGB", "BT.709")
    if len(gamma := chunks.get(b"gAMA", b"")) == 4:
        return _by_gamma(struct.unpack(">I", gamma)[0] / 100_000, chunks.get(b"cHRM", b""))
    if named := str(spec.getattribute("colorInteropID") or ""):
        return _by_name(named)
    if (told := spec.getattribute("chromaticities")) is not None and len(told) == 8:
        return _by_chromaticities(told)
    if spec.get_int_attribute("Exif:ColorSpace", 0) == _SRGB_OF_EXIF:
        return StillColour("sRGB", "BT.709")
    return _of_dpx(spec, bits)


def _png_chunks(here: Path) -> dict[bytes, bytes]:
    """The chunks before a PNG's picture, by name, the long ones cut; none for another kind of file."""
    found: dict[bytes, bytes] = {}
    with here.open("rb") as file:
        if file.read(8) != _PNG:
            return found
        for _ in range(_MOST_CHUNKS):
            head = file.read(8)
            if len(head) < 8 or head[4:] == b"IDAT":
                break
            (length,) = struct.unpack(">I", head[:4])
            after = file.tell() + length + 4
            found[head[4:]] = file.read(min(length, _MOST_OF_A_CHUNK))
            file.seek(after)
    return found


def _by_code_points(primaries: int, transfer: int, full_range: bool) -> StillColour:
    named = colorimetry.TRANSFERS.get(transfer, ""), colorimetry.PRIMARIES.get(primaries, "")
    unknown = (
        ""
        if all(named)
        else f"it is tagged with colours {primaries} and transfer {transfer} of H.273, and Dovrel has no encoding for these"
    )
    return StillColour(*named, full_range, unknown)


def _by_profile(data: bytes, name: str) -> StillColour:
    profile = read_profile(data)
    if profile.transfer and profile.primaries:
        return StillColour(profile.transfer, profile.primaries)
    return StillColour(warning=f"Dovrel has no encoding for its colour profile{f' “{name}”' if name else ''}")


def _by_gamma(exponent: float, chromaticities: bytes) -> StillColour:
    transfer = colorimetry.transfer_of(lambda code: code ** (1 / max(exponent, 1e-5)))
    primaries = "BT.709"
    if len(chromaticities) == 32:
        white, red, green, blue = np.reshape(struct.unpack(">8I", chromaticities), (4, 2)) / 100_000
        primaries = colorimetry.primaries_of([*red, *green, *blue, *white])
    if transfer and primaries:
        return StillColour(transfer, primaries)
    colours = "" if primaries else " and colours of its own"
    return StillColour(
        warning=f"it is tagged with a gamma of {1 / max(exponent, 1e-5):.2f}{colours}, and Dovrel has no encoding for that"
    )


def _by_name(name: str) -> StillColour:
    transfer, _, rest = name.partition("_")
    primaries = _INTEROP_PRIMARIES.get(rest.partition("_")[0], "")
    if transfer in _INTEROP_TRANSFERS and primaries:
        return StillColour(_INTEROP_TRANSFERS[transfer], primaries)
    return StillColour(
        warning="" if name == "unknown" else f"it is tagged “{name}”, and Dovrel has no encoding for that"
    )


def _by_chromaticities(told: tuple[float, ...]) -> StillColour:
    if primaries := colorimetry.primaries_of(told):
        return StillColour("", primaries)
    return StillColour(warning="it is tagged with primaries of its own, and Dovrel has no encoding for these")


def _of_dpx(spec: oiio.ImageSpec, bits: int) -> StillColour:
    """By the fields of SMPTE ST 268-1: transfer, colorimetry and reference levels."""
    transfer, colours = (str(spec.getattribute(name) or "") for name in ("dpx:Transfer", "dpx:Colorimetric"))
    if transfer in _FILM:
        return StillColour(warning=f"its values are tagged “{transfer}”, which does not name a curve")
    unit = 2 ** (bits - 8)
    levels = spec.get_int_attribute("dpx:LowData", 0), spec.get_int_attribute("dpx:HighData", 0)
    video = any(part in transfer for part in _VIDEO)
    return StillColour(
        "BT.709" if video else "linear" if transfer == "Linear" else "",
        "BT.709" if any(part in colours for part in ("709", "274")) or (video and "601" not in transfer) else "",
        levels != (16 * unit, 235 * unit),
    )
