"""Dovrel: measure, balance and match the shots of a shooting day."""

__version__ = "0.1.0"
