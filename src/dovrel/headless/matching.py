"""Matching one file to another."""

from __future__ import annotations

from dovrel.core.colour import tables
from dovrel.core.match import Evidence, match
from dovrel.core.steps.correction import PLAIN, Correction
from dovrel.core.steps.primary import IDENTITY
from dovrel.headless.files import Input, encoding_record, encodings_said
from dovrel.headless.measuring import readings_record
from dovrel.media.picture import PREVIEW_WIDTH


def match_pair(
    reference: Input, shot: Input, output: str, strength: float, *, extended: bool = False
) -> tuple[dict, Correction]:
    """Match one file to another, seen as large as on the Desk.

    Returns
    -------
    the report, and the correction: a balance, with an extended step after it if there is one. An answer that is too little
    sure is offered in the report, and the shot is left as it was
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
    numbers, part = (result.numbers, result.extended) if result.sure else (IDENTITY, None)
    return {
        "reference": reference.file.name,
        "shot": shot.file.name,
        "encodings": [encoding_record(one) for one in (reference, shot)],
        "numbers": numbers.as_array().tolist(),
        "offered": None if result.sure else result.numbers.as_array().tolist(),
        "extended": None if part is None else part.as_array().tolist(),
        "distance_before": result.distance_before,
        "distance_after": result.distance_after if result.sure else result.distance_before,
        "left": readings_record(result.left),
        "residuals": result.residuals.as_record(),
        "confidence": result.confidence,
        "sure": result.sure,
        "basis": result.basis,
        "correspondences": result.correspondences,
        "notes": list(result.notes),
    }, PLAIN["shot"].balanced(numbers, part)


def describe_match(result: dict) -> str:
    lines = [
        f"{result['shot']} to {result['reference']}: distance {result['distance_before']:.2f} → "
        f"{result['distance_after']:.2f}, confidence {result['confidence']:.2f}"
        + ("" if result["sure"] else ", too little: it is offered, and the shot is left as it was"),
        *encodings_said(result["encodings"]),
        *(f"  {note}" for note in result["notes"]),
    ]
    return "\n".join(lines)
