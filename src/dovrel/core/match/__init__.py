"""Matching a shot to a reference on what the two share, and saying how sure that is."""

from dovrel.core.match.match import Evidence, Match, match

__all__ = ["Evidence", "Match", "match"]
