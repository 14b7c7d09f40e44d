"""Measuring, balancing and matching files, without browser or database: a module each, so that none loads the others."""
