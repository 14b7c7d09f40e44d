"""Dovrel: measure, balance and match the shots of a shooting day."""

from dovrel.compiled import keep_kernels_apart

__version__ = "0.1.0"

keep_kernels_apart()
