"""Checksum lists in and out: ASC MHL, the older MHL, and plain lists of a checksum and a name a line."""

from __future__ import annotations

import hashlib
import re
import xml.etree.ElementTree as ET
from collections import defaultdict
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import UTC, datetime
from pathlib import Path, PurePosixPath

import defusedxml.ElementTree as SafeET
import xxhash

from dovrel.errors import Refused
from dovrel.machine.c4 import c4_of
from dovrel.machine.files import written_aside

NAMESPACE = "urn:ASC:MHL:v2.0"
CHAIN_NAMESPACE = "urn:ASC:MHL:DIRECTORY:v2.0"
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
CHAIN_FILE = "ascmhl_chain.xml"


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
    Refused
        If it is too large or no such list; the message names it.
    OSError
        If it cannot be read.
    """
    if path.stat().st_size > MAX_BYTES:
        raise Refused(f"{path.name}: the checksum list is larger than {MAX_BYTES >> 20} MB")
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
        raise Refused(f"{path.name}: holds no checksums that Dovrel can read")
    return ChecksumList(path, sums)


def _mhl(path: Path, text: str) -> dict[str, Sum]:
    try:
        top = SafeET.fromstring(text)
    except (SafeET.ParseError, ValueError) as error:
        raise Refused(f"{path.name}: not a readable checksum list ({str(error)[:100]})") from error
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
    """Write an ASC MHL of files as they were found, whole or not at all: their checksums, and those of their folders.

    In a folder :data:`MHL_FOLDER`, the chain file that names it is written too. Folders have checksums where all files have
    them of the kind XXH128.

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
    folders = folder_sums(files)
    if folders:
        _folder_element(process, "roothash", folders[_ROOT], when)
    ignored = ET.SubElement(process, "ignore")
    for pattern in (MHL_FOLDER, f"{MHL_FOLDER}/"):
        ET.SubElement(ignored, "pattern").text = pattern
    hashes = ET.SubElement(top, "hashes")
    for file in files:
        entry = ET.SubElement(hashes, "hash")
        ET.SubElement(entry, "path", {"size": str(file.size)}).text = file.path
        ET.SubElement(entry, file.sum.kind, {"action": "original", "hashdate": when}).text = file.sum.value
    for folder, sums in folders.items():
        if folder != _ROOT:
            _folder_element(hashes, "directoryhash", sums, when, folder)
    _write_xml(path, top)
    if path.parent.name == MHL_FOLDER:
        _write_chain(path)


_ROOT = "."
_OF_FOLDERS = "xxh128"


@dataclass(frozen=True)
class FolderSums:
    """Checksums of a folder, hexadecimal: of what is in it, and of what is in it with its names."""

    content: str
    structure: str


def folder_sums(files: Sequence[Listed]) -> dict[str, FolderSums]:
    """Checksums of each folder that files lie in, and of ``.``, the root, after those within it (ASC MHL 2.0, directory hashes).

    None where a file has no XXH128.
    """
    if any(file.sum.kind != _OF_FOLDERS for file in files):
        return {}
    contents: dict[str, list[str]] = defaultdict(list)
    structures: dict[str, list[str]] = defaultdict(list)
    folders = {_ROOT}
    for file in files:
        parent = PurePosixPath(file.path).parent
        folders |= {str(folder) for folder in (parent, *parent.parents)}
        contents[str(parent)].append(file.sum.value)
        structures[str(parent)].append(_with_name(file.path, file.sum.value))
    found: dict[str, FolderSums] = {}
    for folder in sorted(folders, key=lambda one: (-len(PurePosixPath(one).parts), one)):
        sums = found[folder] = FolderSums(_joined(contents[folder]), _joined(structures[folder]))
        if folder != _ROOT:
            above = str(PurePosixPath(folder).parent)
            contents[above].append(sums.content)
            structures[above].append(_with_name(folder, sums.structure))
    return found


def _with_name(path: str, value: str) -> str:
    return xxhash.xxh3_128_hexdigest(PurePosixPath(path).name.encode() + bytes.fromhex(value))


def _joined(values: Sequence[str]) -> str:
    return xxhash.xxh3_128_hexdigest(b"".join(bytes.fromhex(value) for value in sorted(values)))


def _folder_element(parent: ET.Element, tag: str, sums: FolderSums, when: str, path: str | None = None) -> None:
    element = ET.SubElement(parent, tag)
    if path is not None:
        ET.SubElement(element, "path").text = path
    for part, value in (("content", sums.content), ("structure", sums.structure)):
        ET.SubElement(ET.SubElement(element, part), _OF_FOLDERS, {"hashdate": when}).text = value


def _write_chain(path: Path) -> None:
    """The file that names the one list of a folder, and its checksum."""
    top = ET.Element("ascmhldirectory", {"xmlns": CHAIN_NAMESPACE})
    entry = ET.SubElement(top, "hashlist", {"sequencenr": "1"})
    ET.SubElement(entry, "path").text = path.name
    ET.SubElement(entry, "c4").text = c4_of(hashlib.sha512(path.read_bytes()).digest())
    _write_xml(path.with_name(CHAIN_FILE), top)


def _write_xml(path: Path, top: ET.Element) -> None:
    ET.indent(top)
    with written_aside(path) as aside:
        ET.ElementTree(top).write(aside, encoding="UTF-8", xml_declaration=True)
