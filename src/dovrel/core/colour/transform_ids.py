"""Transform identifiers of the Academy (S-2014-002) for ACES 2: the names of encodings and outputs for other programs.

They are those that the configuration of the colour-management library lists for its spaces and views.
"""

from __future__ import annotations

from dovrel.core.colour import outputs

_LISTED = "amf_transform_ids"
_OUTPUT = ":Output."


def _listed(part: object) -> list[str]:
    """The identifiers of a space or a view of the configuration, if there is one."""
    attributes = getattr(part, "getInterchangeAttributes", dict)()
    return [line.strip() for line in attributes.get(_LISTED, "").splitlines() if line.strip()]


def into_aces(space: str) -> str | None:
    """The identifier of the way from a space of the ACES configuration into ACES2065-1; None where it has none."""
    listed = _listed(outputs.config().getColorSpace(space))
    return next((one for one in listed if "_to_ACES." in one), None)


def out_of_aces(space: str) -> str | None:
    """The identifier of the way from ACES2065-1 into a space of the ACES configuration; None where it has none."""
    return next((one for one in _listed(outputs.config().getColorSpace(space)) if ".ACES_to_" in one), None)


def of_output(output_id: str) -> str | None:
    """The identifier of the way from ACES2065-1 to what an output shows; None where it has none."""
    output = outputs.find(output_id)
    if output.display is None or output.view is None:
        return None
    config = outputs.config()
    shown, viewed = (
        _listed(part) for part in (config.getColorSpace(output.display), config.getViewTransform(output.view))
    )
    return next((one for one in shown if one in viewed and _OUTPUT in one), None)
