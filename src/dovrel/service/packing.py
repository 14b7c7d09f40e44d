"""One binary message: a JSON header, then picture and densities one after another.

Layout: uint32 (little-endian) length of the header; the header, padded with spaces so that
what follows starts at a multiple of four; the blobs that the header's ``blobs`` lists as
name, element type, shape and length in bytes, each padded to a multiple of four.
"""

from __future__ import annotations

import json
import struct

import numpy as np

from dovrel.core.measure.counting import Scopes

HISTOGRAM_BINS = 640
_TYPES = {"uint8": "u1", "uint16": "u2", "uint32": "u4"}


def _narrow(counts: np.ndarray) -> np.ndarray:
    """Counts in 16 bits where they fit, which they do for all but the largest frames."""
    return counts.astype(np.uint16) if counts.max(initial=0) < 65536 else counts


def pack(header: dict, blobs: dict[str, np.ndarray | bytes]) -> bytes:
    """Pack a header and named blobs into one message."""
    listed, parts = [], []
    for name, blob in blobs.items():
        if isinstance(blob, bytes):
            raw, kind, shape = blob, "u1", [len(blob)]
        else:
            raw, kind, shape = np.ascontiguousarray(blob).tobytes(), _TYPES[blob.dtype.name], list(blob.shape)
        listed.append([name, kind, shape, len(raw)])
        parts.extend((raw, b"\0" * (-len(raw) % 4)))
    text = json.dumps({**header, "blobs": listed}, separators=(",", ":")).encode()
    text += b" " * (-len(text) % 4)
    return b"".join([struct.pack("<I", len(text)), text, *parts])


def pack_scopes(scopes: Scopes, prefix: str = "") -> dict[str, np.ndarray | bytes]:
    """The densities of a measured frame as named blobs."""
    return {
        f"{prefix}parade": _narrow(scopes.parade),
        f"{prefix}waveform": _narrow(scopes.waveform),
        f"{prefix}vector": _narrow(scopes.vector),
        f"{prefix}histogram": scopes.fine.reshape(3, HISTOGRAM_BINS, -1).sum(axis=2, dtype=np.uint32),
    }
