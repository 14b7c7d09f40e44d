"""Correction files: a correction as a document, in a file of its own (``docs/correction.schema.json``)."""

from __future__ import annotations

import json
from pathlib import Path

from dovrel.core.steps import documents
from dovrel.core.steps.correction import Correction
from dovrel.errors import Refused
from dovrel.machine.files import written_aside

SUFFIX = ".json"
MAX_BYTES = 64 * 1024 * 1024


def write(path: Path, correction: Correction) -> None:
    """Write a correction file, whole or not at all.

    Raises
    ------
    Refused
        If the name does not end in .json.
    """
    if path.suffix.lower() != SUFFIX:
        raise Refused(f"{path.name}: a correction file ends in {SUFFIX}")
    with written_aside(path) as aside:
        aside.write_text(json.dumps(documents.written(correction, whole=True), indent=1) + "\n", encoding="utf-8")


def read(path: Path) -> Correction:
    """Read a correction file.

    Raises
    ------
    Refused
        If there is no such file or it holds no correction; the message names the file and says what is wrong.
    """
    if not path.is_file():
        raise Refused(f"{path.name}: there is no such file")
    if path.stat().st_size > MAX_BYTES:
        raise Refused(f"{path.name}: larger than a correction file can reasonably be")
    try:
        return documents.read(json.loads(path.read_text(encoding="utf-8")))
    except (json.JSONDecodeError, UnicodeDecodeError, RecursionError) as error:
        raise Refused(f"{path.name}: not a readable JSON file ({str(error)[:80]})") from error
    except ValueError as error:
        raise Refused(f"{path.name}: {error}") from error
