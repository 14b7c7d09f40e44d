"""Bounds on what is accepted, so that a bad file cannot take the machine down."""

MAX_SIDE = 16384
MAX_PIXELS = 40_000_000
MAX_DECODED = 1 << 30
"""Bytes that decoding a still may take, all its channels counted, four bytes each."""
MIN_SIDE = 2
MAX_FOLDER_FILES = 5000
"""Clips below a folder that is taken in."""
MAX_PASSED = 500
"""Files passed over that are named."""

VIDEO_SUFFIXES = frozenset({".mov", ".mp4", ".mxf", ".mkv", ".m4v", ".avi", ".mts", ".m2ts", ".ts", ".mpg", ".webm"})
STILL_SUFFIXES = frozenset({".png", ".tif", ".tiff", ".jpg", ".jpeg", ".exr", ".dpx"})
