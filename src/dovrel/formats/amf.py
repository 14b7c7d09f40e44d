"""ACES Metadata Files (S-2019-001), version 2.0: how a clip becomes what the Desk shows, from its recording to the display.

What the standard has a name or a place for stands in the file: a camera's encoding, ten numbers as ASC CDL in ACEScct, the
output. All else stands in CLF files beside it: an encoding without a name, steps of colour that ten numbers cannot say.
"""

from __future__ import annotations

import hashlib
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from datetime import UTC, datetime
from itertools import groupby
from pathlib import Path
from tempfile import TemporaryDirectory
from uuid import uuid4
from xml.etree import ElementTree

import numpy as np
import PyOpenColorIO as ocio

from dovrel.core.colour import encodings, outputs, tables, transform_ids
from dovrel.core.develop.whole import LATTICE_ROUNDS, table_of_function
from dovrel.core.steps.chain import Chain, apply_in_order
from dovrel.core.steps.primary import Primary
from dovrel.errors import Refused
from dovrel.formats import asc_cdl, clf
from dovrel.machine.files import written_aside

SYSTEM = (2, 0, 0)
"""The release of ACES whose outputs these are."""
SIDE = 65
"""Nodes a side of tables of an encoding."""
ACES, WORKING = "ACES2065-1", "ACEScct"
_AMF, _CDL, _XSI = "urn:ampas:aces:amf:v2.0", asc_cdl.NAMESPACE, "http://www.w3.org/2001/XMLSchema-instance"
for _prefix, _space in (("aces", _AMF), ("cdl", _CDL), ("xsi", _XSI)):
    ElementTree.register_namespace(_prefix, _space)


@dataclass(frozen=True)
class Told:
    """What an AMF tells of: a shot, its clip's file, and how that becomes what is shown.

    Attributes
    ----------
    chain : steps that act on colours by themselves, see :func:`dovrel.core.steps.carried.point_wise`
    colours : working values float (N, 3) that tables come nearest for
    """

    name: str
    clip: str
    encoding: str
    output: str
    chain: Chain
    colours: np.ndarray


def write(path: Path, told: Told) -> list[Path]:
    """Write an AMF and the CLF files that it refers to, into its folder; gives all of them, the AMF first.

    Files of an encoding that stand there already are left: shots share them.

    Raises
    ------
    Refused
        If the output is plain video, which is no part of ACES.
    """
    refuse_plain(told.output)
    root = ElementTree.Element(_aces("acesMetadataFile"), {"version": "2.0"})
    root.set(f"{{{_XSI}}}schemaLocation", f"{_AMF} file:acesMetadataFile.xsd")
    _facts(root, told)
    pipeline = _under(root, "pipeline")
    version = _under(_under(pipeline, "pipelineInfo"), "systemVersion")
    for part, number in zip(("majorVersion", "minorVersion", "patchVersion"), SYSTEM, strict=True):
        _under(version, part, str(number))
    beside = [
        *_input(pipeline, path.parent, told),
        *_looks(pipeline, path, told),
    ]
    _output(pipeline, told)
    ElementTree.indent(root)
    with written_aside(path) as aside:
        ElementTree.ElementTree(root).write(aside, encoding="UTF-8", xml_declaration=True)
    return [path, *beside]


def refuse_plain(output: str) -> None:
    """Raise a ValueError for an output that an AMF cannot name."""
    if outputs.find(output).display is None:
        raise Refused("an AMF needs an ACES output, and this production shows plain video; choose another in Settings")


def _aces(tag: str) -> str:
    return f"{{{_AMF}}}{tag}"


def _under(parent: ElementTree.Element, tag: str, text: str | None = None, **attributes: str) -> ElementTree.Element:
    element = ElementTree.SubElement(parent, _aces(tag), attributes)
    element.text = text
    return element


def _facts(root: ElementTree.Element, told: Told) -> None:
    info = _under(root, "amfInfo")
    _under(info, "description", told.name)
    when, now = _under(info, "dateTime"), datetime.now(UTC).strftime("%Y-%m-%dT%H:%M:%SZ")
    _under(when, "creationDateTime", now)
    _under(when, "modificationDateTime", now)
    _under(info, "uuid", f"urn:uuid:{uuid4()}")
    clip = _under(root, "clipId")
    _under(clip, "clipName", Path(told.clip).stem)
    _under(clip, "file", told.clip)


def _input(pipeline: ElementTree.Element, folder: Path, told: Told) -> Iterator[Path]:
    encoding = encodings.describe(told.encoding)
    element = _under(pipeline, "inputTransform", applied="false")
    _under(element, "description", encoding.name)
    known = transform_ids.into_aces(encoding.name) if encoding.kind == "scene" else None
    if known:
        _under(element, "transformId", known)
        return
    # Files of one name may lie in several folders.
    which = f".{hashlib.sha256(encoding.id.encode()).hexdigest()[:6]}" if encoding.kind == "file" else ""
    path = folder / f"encoding_{clf.identifier(encoding.name)}{which}.clf"
    _under(element, "file", path.name)
    if not path.exists():
        _write_clf(path, _way_in(told), f"{encoding.name} to {ACES}")
        yield path


def _way_in(told: Told) -> list[ocio.Transform]:
    """From code values to ACES2065-1."""
    if encodings.is_display_referred(told.encoding):

        def into(code: np.ndarray) -> np.ndarray:
            return encodings.to_working(code, told.encoding, told.output, 2)

        return [
            _fitted(f"{told.encoding} under {told.output} into working", into),
            ocio.ColorSpaceTransform(WORKING, ACES),
        ]
    return encodings.way_into(told.encoding, ACES)


def _looks(pipeline: ElementTree.Element, path: Path, told: Told) -> Iterator[Path]:
    """The steps in order: ten numbers one by one, and together what lies between them."""
    colours = told.colours
    steps = [values for values in told.chain if not values.is_identity]
    for place, (are_numbers, group) in enumerate(groupby(steps, lambda one: isinstance(one, Primary)), 1):
        values = list(group)
        if are_numbers:
            for numbers in values:
                assert isinstance(numbers, Primary)
                _cdl(pipeline, numbers)
        else:
            beside = path.with_name(f"{path.stem}.look{place}.clf")
            element = _under(pipeline, "lookTransform", applied="false")
            _under(element, "description", " and ".join(dict.fromkeys(one.kind for one in values)))
            _under(element, "file", beside.name)
            _write_steps(beside, values, told.name, colours)
            yield beside
        colours = apply_in_order(colours, values)


def _cdl(pipeline: ElementTree.Element, numbers: Primary) -> None:
    look = _under(pipeline, "lookTransform", applied="false")
    _under(look, "description", f"ASC CDL in {WORKING}")
    space = _under(look, "cdlWorkingSpace")
    for tag, words, known in (
        ("toCdlWorkingSpace", f"{ACES} to {WORKING}", transform_ids.out_of_aces(WORKING)),
        ("fromCdlWorkingSpace", f"{WORKING} to {ACES}", transform_ids.into_aces(WORKING)),
    ):
        way = _under(space, tag)
        _under(way, "description", words)
        _under(way, "transformId", known)
    asc_cdl.fill_numbers(look, numbers, prefix=f"{{{_CDL}}}")


def _write_steps(path: Path, chain: Chain, name: str, colours: np.ndarray) -> None:
    """A CLF from ACES2065-1 to ACES2065-1 of steps that act in ACEScct."""
    with TemporaryDirectory() as folder:
        inner = Path(folder) / "steps.clf"
        clf.write(inner, chain, name, colours)
        steps = ocio.FileTransform(str(inner), interpolation=ocio.INTERP_BEST)
        way = [ocio.ColorSpaceTransform(ACES, WORKING), steps, ocio.ColorSpaceTransform(WORKING, ACES)]
        _write_clf(path, way, name)


def _output(pipeline: ElementTree.Element, told: Told) -> None:
    output = outputs.find(told.output)
    element = _under(pipeline, "outputTransform", applied="false")
    _under(element, "description", f"{output.view}; {output.name}")
    _under(element, "transformId", transform_ids.of_output(told.output))


def _fitted(what: str, function: Callable[[np.ndarray], np.ndarray]) -> ocio.Lut3DTransform:
    """A function of colours as a table; its nodes are fitted once and kept among the baked tables."""
    recipe = f"{what} fitted {SIDE} {LATTICE_ROUNDS}"
    return clf.table(tables.kept(recipe, lambda: table_of_function(function, SIDE, 0.0, 1.0)))


def _write_clf(path: Path, way: list[ocio.Transform], name: str) -> None:
    """What the library makes of a way, as a CLF."""
    clf.write_group(path, outputs.config().getProcessor(ocio.GroupTransform(way)).createGroupTransform(), name)
