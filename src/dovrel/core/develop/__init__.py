"""Frames corrected and put out: programs, kernels, lattices, whole tables."""
