"""Matching a shot to a reference on what the two share, and saying how sure that is."""

from dovrel.core.match.evidence import Evidence
from dovrel.core.match.match import Match, match

__all__ = ["Evidence", "Match", "match"]
