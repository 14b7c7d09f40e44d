"""Transform identifiers of the Academy (S-2014-002): names by which other programs know an encoding's way into ACES2065-1.

They are those that the ACES 1.3 configuration of the colour-management library lists for its spaces, which the later one
calls alike.
"""

from __future__ import annotations

from functools import lru_cache

import PyOpenColorIO as ocio

CONFIG_NAME = "studio-config-v2.2.0_aces-v1.3_ocio-v2.4"
_LISTED_AS = "ACEStransformID:"


@lru_cache(maxsize=1)
def _config() -> ocio.Config:
    return ocio.Config.CreateFromBuiltinConfig(CONFIG_NAME)


def _listed(space: str) -> list[str]:
    found = _config().getColorSpace(space)
    lines = found.getDescription().splitlines() if found else []
    return [line.split(_LISTED_AS)[1].strip() for line in lines if _LISTED_AS in line]


def into_aces(space: str) -> str | None:
    """The identifier of the way from a space of the ACES configuration into ACES2065-1; None where it has none."""
    listed = _listed(space)
    ways = (lambda one: ":IDT." in one, lambda one: "_to_ACES." in one)
    return next((one for is_way in ways for one in listed if is_way(one)), None)


def out_of_aces(space: str) -> str | None:
    """The identifier of the way from ACES2065-1 into a space of the ACES configuration; None where it has none."""
    return next((one for one in _listed(space) if ".ACES_to_" in one), None)
