"""The rendered world of the demo: spectra, shapes, places, and the renderer (development only)."""
