"""ASC CDL files: .cc (one correction), .ccc (a collection), .cdl (a decision list). ASC CDL v1.2."""

import math
import xml.etree.ElementTree as ET
from collections.abc import Mapping
from pathlib import Path

from defusedxml import DefusedXmlException
from defusedxml.ElementTree import fromstring

from aquin.colour.cdl import Cdl, Triple
from aquin.errors import AquinError
from aquin.files import write_text
from aquin.reading import check_file

SUFFIXES = (".cc", ".ccc", ".cdl")
_SPACE = "urn:ASC:CDL:v1.2"
_LIMIT = 2_000_000
_REMEDY = "Export it again from the program that wrote it"


def write(path: Path, cdl: Cdl, identity: str, note: str = "", force: bool = False) -> None:
    """Write one correction. `note` goes into its description: say there which space it applies in. Raises
    AquinError.
    """
    write_all(path, {identity: cdl}, note, force)


def write_all(path: Path, cdls: Mapping[str, Cdl], note: str = "", force: bool = False) -> None:
    """Write corrections by their ids, in order; a .cc holds one only. Raises AquinError."""
    corrections = [_element(identity, cdl, note) for identity, cdl in cdls.items()]
    suffix = path.suffix.lower()
    if suffix == ".cc" and len(corrections) == 1:
        root = corrections[0]
    elif suffix == ".ccc":
        root = ET.Element("ColorCorrectionCollection")
        root.extend(corrections)
    elif suffix == ".cdl":
        root = ET.Element("ColorDecisionList")
        for correction in corrections:
            ET.SubElement(root, "ColorDecision").append(correction)
    else:
        raise AquinError("this is no name for a CDL", path, f"End it with {', '.join(SUFFIXES)}")
    root.set("xmlns", _SPACE)
    ET.indent(root)
    text = ET.tostring(root, encoding="unicode")
    write_text(path, f'<?xml version="1.0" encoding="UTF-8"?>\n{text}\n', force)


def _element(identity: str, cdl: Cdl, note: str) -> ET.Element:
    correction = ET.Element("ColorCorrection", id=_identity(identity))
    sop = ET.SubElement(correction, "SOPNode")
    if note:
        ET.SubElement(sop, "Description").text = note
    for tag, values in (("Slope", cdl.slope), ("Offset", cdl.offset), ("Power", cdl.power)):
        ET.SubElement(sop, tag).text = " ".join(_number(v) for v in values)
    ET.SubElement(ET.SubElement(correction, "SatNode"), "Saturation").text = _number(cdl.saturation)
    return correction


def read(path: Path) -> dict[str, Cdl]:
    """All corrections of a file by id, in its order (unnamed ones are numbered). Raises AquinError."""
    try:
        check_file(path, _LIMIT)
        root = fromstring(path.read_bytes())
    except OSError as error:
        raise AquinError(f"the CDL can't be read ({error.strerror})", path, "Check the name") from error
    except DefusedXmlException as error:
        raise AquinError("the file declares XML entities, which are refused", path, _REMEDY) from error
    except (ET.ParseError, ValueError, LookupError, RecursionError) as error:
        raise AquinError(f"this is no XML ({error})", path, _REMEDY) from error
    found: dict[str, Cdl] = {}
    for element in root.iter():
        if _tag(element) == "ColorCorrection":
            name = element.get("id") or f"{len(found) + 1}"
            try:
                found.setdefault(name, _correction(element))
            except ValueError as error:
                raise AquinError(f"correction '{name}' is not usable ({error})", path, _REMEDY) from error
    if not found:
        raise AquinError("the file holds no ColorCorrection", path, _REMEDY)
    return found


def _correction(element: ET.Element) -> Cdl:
    texts = {_tag(e): (e.text or "").split() for e in element.iter()}

    def three(tag: str, default: float) -> Triple:
        values = [float(t) for t in texts.get(tag, [str(default)] * 3)]
        if len(values) != 3 or not all(math.isfinite(v) for v in values):
            raise ValueError(f"{tag} needs three finite numbers")
        return values[0], values[1], values[2]

    saturation = texts.get("Saturation", ["1"])
    if len(saturation) != 1:
        raise ValueError("Saturation needs one number")
    return Cdl(three("Slope", 1), three("Offset", 0), three("Power", 1), float(saturation[0]))


def _tag(element: ET.Element) -> str:
    return str(element.tag).rsplit("}", 1)[-1]


def _number(value: float) -> str:
    return repr(round(float(value), 12))


def _identity(name: str) -> str:
    """An XML id: letters, digits, dot, dash and underscore."""
    kept = "".join(c if c.isalnum() or c in "._-" else "_" for c in name)
    return kept if kept and not kept[0].isdigit() else f"_{kept}"
