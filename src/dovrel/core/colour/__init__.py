"""Encodings, the working space, the ten numbers, white points, outputs and their tables."""
