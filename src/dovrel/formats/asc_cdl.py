"""ASC CDL files, version 1.2: .cdl (one decision), .cc (one correction), .ccc (a collection).

The numbers apply in ACEScct in the no-clamp style; every file says so in its descriptions.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path
from xml.etree import ElementTree

from defusedxml.common import DefusedXmlException
from defusedxml.ElementTree import iterparse

from dovrel.core.steps.primary import LARGEST, Primary
from dovrel.errors import Refused
from dovrel.machine.files import written_aside

NAMESPACE = "urn:ASC:CDL:v1.01"
INPUT_DESCRIPTION = "ACEScct (ACES S-2016-001)"
STYLE_DESCRIPTION = "Applied without clamping: values below zero pass the power untouched"
MAX_BYTES = 8 * 1024 * 1024
MAX_DEPTH = 32
MAX_NAME = 200


@dataclass(frozen=True)
class NamedCorrection:
    """A correction under the name of its shot; `viewing` describes the output."""

    name: str
    numbers: Primary
    viewing: str = ""


def _number(value: float) -> str:
    return f"{value:.10g}"


def _correction(parent: ElementTree.Element, correction: NamedCorrection) -> ElementTree.Element:
    element = ElementTree.SubElement(parent, "ColorCorrection", id=correction.name)
    return _fill(element, correction)


def _fill(element: ElementTree.Element, correction: NamedCorrection) -> ElementTree.Element:
    ElementTree.SubElement(element, "Description").text = STYLE_DESCRIPTION
    ElementTree.SubElement(element, "InputDescription").text = INPUT_DESCRIPTION
    if correction.viewing:
        ElementTree.SubElement(element, "ViewingDescription").text = correction.viewing
    fill_numbers(element, correction.numbers)
    return element


def fill_numbers(element: ElementTree.Element, numbers: Primary, prefix: str = "") -> None:
    """Put ten numbers under an element, their tags with a namespace before them if one is given."""
    sop = ElementTree.SubElement(element, f"{prefix}SOPNode")
    for tag, values in (("Slope", numbers.slope), ("Offset", numbers.offset), ("Power", numbers.power)):
        ElementTree.SubElement(sop, f"{prefix}{tag}").text = " ".join(_number(v) for v in values)
    saturation = ElementTree.SubElement(element, f"{prefix}SatNode")
    ElementTree.SubElement(saturation, f"{prefix}Saturation").text = _number(numbers.saturation)


def _write(root: ElementTree.Element, path: Path) -> None:
    root.set("xmlns", NAMESPACE)
    ElementTree.indent(root)
    with written_aside(path) as aside:
        ElementTree.ElementTree(root).write(aside, encoding="UTF-8", xml_declaration=True)


def write_cc(path: Path, correction: NamedCorrection) -> None:
    """Write one ColorCorrection."""
    _write(_fill(ElementTree.Element("ColorCorrection", id=correction.name), correction), path)


def write_cdl(path: Path, correction: NamedCorrection) -> None:
    """Write a ColorDecisionList with one decision."""
    root = ElementTree.Element("ColorDecisionList")
    _correction(ElementTree.SubElement(root, "ColorDecision"), correction)
    _write(root, path)


def write_ccc(path: Path, corrections: Sequence[NamedCorrection]) -> None:
    """Write a ColorCorrectionCollection."""
    root = ElementTree.Element("ColorCorrectionCollection")
    for correction in corrections:
        _correction(root, correction)
    _write(root, path)


def _local(tag: str) -> str:
    return tag.rsplit("}", 1)[-1]


def read(path: Path) -> list[NamedCorrection]:
    """Read every correction of a .cdl, .cc or .ccc file.

    Raises
    ------
    Refused
        If the file is not an ASC CDL file, is larger or deeper than one can reasonably be, or
        its numbers are not valid; the message names the file.
    """
    path = Path(path)
    if not path.is_file():
        raise Refused(f"{path.name}: there is no such file")
    if path.stat().st_size > MAX_BYTES:
        raise Refused(f"{path.name}: larger than a CDL file can reasonably be")
    found: list[NamedCorrection] = []
    depth = 0
    try:
        for event, element in iterparse(path, events=("start", "end")):
            depth += 1 if event == "start" else -1
            if depth > MAX_DEPTH:
                raise Refused(f"{path.name}: its elements are nested deeper than a CDL file's can reasonably be")
            if event == "end" and _local(element.tag) == "ColorCorrection":
                found.append(_parse(path, element))
                element.clear()
    except (ElementTree.ParseError, DefusedXmlException, LookupError, UnicodeError) as error:
        raise Refused(f"{path.name}: not a readable XML file ({_plainly(error)})") from error
    if not found:
        raise Refused(f"{path.name}: there is no ColorCorrection in it")
    return found


def _plainly(error: Exception) -> str:
    if isinstance(error, DefusedXmlException):
        return "it defines entities, which Dovrel does not take"
    return str(error).splitlines()[0][:160]


def _parse(path: Path, element: ElementTree.Element) -> NamedCorrection:
    values = {"Slope": [1.0] * 3, "Offset": [0.0] * 3, "Power": [1.0] * 3, "Saturation": [1.0]}
    name = element.get("id", path.stem)[:MAX_NAME]
    for child in element.iter():
        tag = _local(child.tag)
        if tag in values:
            try:
                numbers = [float(part) for part in (child.text or "").split()]
            except ValueError as error:
                raise Refused(f"{path.name}: {tag} of '{name}' is not a number") from error
            if max(map(abs, numbers), default=0) > LARGEST:
                raise Refused(f"{path.name}: {tag} of '{name}' is beyond {LARGEST:.0f}, which no correction is")
            if len(numbers) != len(values[tag]):
                raise Refused(f"{path.name}: {tag} of '{name}' needs {len(values[tag])} numbers")
            values[tag] = numbers
    try:
        numbers = Primary.from_array([*values["Slope"], *values["Offset"], *values["Power"], *values["Saturation"]])
    except ValueError as error:
        raise Refused(f"{path.name}: of '{name}', {error}") from error
    return NamedCorrection(name, numbers)
