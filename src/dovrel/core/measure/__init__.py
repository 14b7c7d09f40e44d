"""Readings, scopes and differences, measured on the display signal."""
