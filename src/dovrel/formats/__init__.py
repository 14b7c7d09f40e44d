"""Open formats out: ASC CDL and .cube tables."""
