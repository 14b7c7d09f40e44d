"""Benchmarks: the live update beside FFmpeg's filters, and matches beside published methods."""
