"""Matching one file to another."""

from __future__ import annotations

from dovrel.core.colour import tables
from dovrel.core.match import Evidence, match
from dovrel.core.steps.correction import PLAIN, Correction
from dovrel.headless.files import Input
from dovrel.headless.measuring import readings_record
from dovrel.media.picture import PREVIEW_WIDTH


def match_pair(
    reference: Input, shot: Input, output: str, strength: float, *, extended: bool = False
) -> tuple[dict, Correction]:
    """Match one file to another, seen as large as on the Desk.

    Returns
    -------
    the report, and the correction: a balance, with an extended step after it if there is one
    """
    there, here = (one.read(output, PREVIEW_WIDTH) for one in (reference, shot))
    evidence = Evidence(
        there.working,
        here.working,
        here.reach,
        tables.output_table(output),
        finished=(reference.finished, shot.finished),
    )
    result = match(evidence, strength=strength, extended=extended)
    return {
        "reference": reference.file.name,
        "shot": shot.file.name,
        "numbers": result.numbers.as_array().tolist(),
        "extended": None if result.extended is None else result.extended.as_array().tolist(),
        "distance_before": result.distance_before,
        "distance_after": result.distance_after,
        "left": readings_record(result.left),
        "residuals": result.residuals.as_record(),
        "sureness": result.sureness,
        "sure": result.sure,
        "basis": result.basis,
        "correspondences": result.correspondences,
        "notes": list(result.notes),
    }, PLAIN["shot"].balanced(result.numbers, result.extended)


def describe_match(result: dict) -> str:
    lines = [
        f"{result['shot']} to {result['reference']}: distance {result['distance_before']:.2f} → "
        f"{result['distance_after']:.2f}, sureness {result['sureness']:.2f}"
        + ("" if result["sure"] else ", too little to be applied without a look"),
        *(f"  {note}" for note in result["notes"]),
    ]
    return "\n".join(lines)
