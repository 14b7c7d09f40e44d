"""Balancing a file."""

from __future__ import annotations

from dovrel.core.balance import propose
from dovrel.core.colour import tables
from dovrel.core.steps.correction import PLAIN, Correction
from dovrel.headless.files import Input
from dovrel.media.picture import PREVIEW_WIDTH


def balance(source: Input, output: str) -> tuple[dict, Correction]:
    """Candidates of a balance, best first, and the best one as a correction."""
    small = source.read(output, PREVIEW_WIDTH)
    candidates = propose(small.working, small.reach, tables.output_table(output), finished=source.finished)
    best = candidates[0]
    return {
        "file": source.file.name,
        "encoding": source.encoding_id,
        "encoding_reason": source.likely.reason,
        "numbers": best.numbers.as_array().tolist(),
        "candidates": [
            {
                "id": c.id,
                "name": c.name,
                "numbers": c.numbers.as_array().tolist(),
                "confidence": round(c.confidence, 3),
                "exposure": round(c.exposure, 3),
                "warmth": round(c.warmth),
                "tint": round(c.tint, 1),
                "reason": c.reason,
            }
            for c in candidates
        ],
    }, PLAIN["shot"].balanced(best.numbers)


def describe_balance(result: dict) -> str:
    lines = [f"{result['file']}: encoding {result['encoding']} ({result['encoding_reason']})"]
    for c in result["candidates"]:
        lines.append(
            f"  {c['name']}: {c['exposure']:+.2f} stops, {c['warmth']} K, tint {c['tint']:+.1f}, "
            f"confidence {c['confidence']:.2f}; {c['reason']}"
        )
    return "\n".join(lines)
