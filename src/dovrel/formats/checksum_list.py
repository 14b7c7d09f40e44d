"""Checksum lists in and out: ASC MHL, the older MHL, and plain lists of a checksum and a name a line."""

from __future__ import annotations

import re
import xml.etree.ElementTree as ET
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import UTC, datetime
from pathlib import Path, PurePosixPath

import defusedxml.ElementTree as SafeET

from dovrel.machine.files import written_aside

NAMESPACE = "urn:ASC:MHL:v2.0"
MAX_BYTES = 64 * 1024 * 1024
SUFFIXES = frozenset({".mhl", ".md5", ".sha1", ".sha256", ".sha512", ".xxh64", ".xxh128", ".xxh3", ".c4"})
_PLAIN_NAMES = re.compile(r"^(md5|sha1|sha256|sha512)sums?(\.txt)?$", re.IGNORECASE)
_BY_LENGTH = {16: "xxh64", 32: "md5", 40: "sha1", 64: "sha256", 128: "sha512", 90: "c4"}
_ELEMENTS = {"md5": "md5", "sha1": "sha1", "c4": "c4", "xxh64": "xxh64", "xxh3": "xxh3", "xxh128": "xxh128",
             "xxhash64be": "xxh64", "sha256": "sha256", "sha512": "sha512"}  # fmt: skip
"""What checksums are called in both kinds of MHL."""
_LINE = re.compile(r"^\\?([0-9a-fA-F]{16,128}|c4[1-9A-Za-z]{88})(?:\s+\*?(.+))?$")
_TAGGED_LINE = re.compile(r"^(\w+)\s*\((.+)\)\s*=\s*([0-9a-fA-F]{16,128})$")
MHL_FOLDER = "ascmhl"


@dataclass(frozen=True)
class Sum:
    """A checksum: its kind, a key of :data:`dovrel.media.checksums.KINDS`, and its value."""

    kind: str
    value: str


@dataclass(frozen=True)
class ChecksumList:
    """What a list says: checksums by the files' whole paths."""

    path: Path
    sums: dict[Path, Sum]


def is_list(path: Path) -> bool:
    return path.suffix.lower() in SUFFIXES or bool(_PLAIN_NAMES.match(path.name))


def read(path: Path) -> ChecksumList:
    """Read a list.

    Raises
    ------
    ValueError
        If it is too large or no such list; the message names it.
    OSError
        If it cannot be read.
    """
    if path.stat().st_size > MAX_BYTES:
        raise ValueError(f"{path.name}: the checksum list is larger than {MAX_BYTES >> 20} MB")
    text = path.read_text(errors="replace").lstrip("\ufeff")
    named = _mhl(path, text) if path.suffix.lower() == ".mhl" else _plain(path, text)
    root = path.parent.parent if path.parent.name == MHL_FOLDER else path.parent
    sums = {}
    for name, found in named.items():
        inside = PurePosixPath(name.replace("\\", "/"))
        # A list names files beside and below itself; it leads nowhere else.
        if not inside.is_absolute() and ".." not in inside.parts:
            sums[root / inside] = found
    if not sums:
        raise ValueError(f"{path.name}: holds no checksums that Dovrel can read")
    return ChecksumList(path, sums)


def _mhl(path: Path, text: str) -> dict[str, Sum]:
    try:
        top = SafeET.fromstring(text)
    except (SafeET.ParseError, ValueError) as error:
        raise ValueError(f"{path.name}: not a readable checksum list ({str(error)[:100]})") from error
    found = {}
    for entry in top.iter():
        if _bare(entry.tag) != "hash":
            continue
        name, sums = "", []
        for part in entry.iter():
            kind = _bare(part.tag)
            if kind in ("path", "file"):
                name = (part.text or "").strip()
            elif kind in _ELEMENTS and part.text:
                value = part.text.strip()
                sums.append(Sum(_ELEMENTS[kind], value if kind == "c4" else value.lower()))
        if name and sums:
            found[name] = sums[0]
    return found


def _bare(tag: str) -> str:
    return tag.rsplit("}", 1)[-1]


def _plain(path: Path, text: str) -> dict[str, Sum]:
    found = {}
    for line in text.splitlines():
        stripped = line.strip()
        if tagged := _TAGGED_LINE.match(stripped):
            kind, name, value = tagged[1].lower(), tagged[2], tagged[3].lower()
        elif whole := _LINE.match(stripped):
            value, name = whole[1], whole[2] or path.stem
            value = value if value.startswith("c4") else value.lower()
            suffix = path.suffix.lower()[1:]
            kind = suffix if suffix in _ELEMENTS else _BY_LENGTH.get(len(value), "")
        else:
            continue
        if kind in _ELEMENTS.values():
            found[name] = Sum(kind, value)
    return found


@dataclass(frozen=True)
class Listed:
    """A file of a list that is written: its path below the list's root, size in bytes, checksum."""

    path: str
    size: int
    sum: Sum


def write_asc_mhl(path: Path, files: Sequence[Listed], comment: str, made_at: datetime | None = None) -> None:
    """Write an ASC MHL of files as they were found, whole or not at all.

    Parameters
    ----------
    comment : what is said of them

    Raises
    ------
    OSError
        If it cannot be written.
    """
    when = (made_at or datetime.now(UTC)).replace(microsecond=0).isoformat()
    top = ET.Element("hashlist", {"version": "2.0", "xmlns": NAMESPACE})
    creator = ET.SubElement(top, "creatorinfo")
    ET.SubElement(creator, "creationdate").text = when
    ET.SubElement(creator, "hostname").text = "localhost"
    ET.SubElement(creator, "tool", {"version": "1"}).text = "Dovrel"
    ET.SubElement(creator, "comment").text = comment
    process = ET.SubElement(top, "processinfo")
    ET.SubElement(process, "process").text = "in-place"
    hashes = ET.SubElement(top, "hashes")
    for file in files:
        entry = ET.SubElement(hashes, "hash")
        ET.SubElement(entry, "path", {"size": str(file.size)}).text = file.path
        ET.SubElement(entry, file.sum.kind, {"action": "original", "hashdate": when}).text = file.sum.value
    ET.indent(top)
    with written_aside(path) as aside:
        ET.ElementTree(top).write(aside, encoding="UTF-8", xml_declaration=True)
