"""Encodings proposed from what files say."""

import pytest

from dovrel.core.colour.encodings import Encoding
from dovrel.core.colour.likely import Entry, Said, likely_encoding

KNOWN = [
    Encoding("rec709", "Rec.709 camera", "display"),
    Encoding("aces:Corvane Log V", "Corvane Log V", "scene"),
    Encoding("aces:Corvane Log W - wide", "Corvane Log W - wide", "scene"),
    Encoding("aces:Petrel FlatLog", "Petrel FlatLog", "scene"),
]


@pytest.mark.parametrize(
    ("said", "encoding", "assumed", "reason"),
    [
        (Said(), "srgb", True, "does not say"),
        (Said(transfer="HLG"), "hlg", False, "tagged HLG"),
        (Said(transfer="PQ", make="Corvane"), "pq", False, "tagged PQ"),
        (Said(transfer="BT.709"), "rec709", False, "tagged BT.709"),
        (Said(transfer="BT.709", primaries="BT.2020"), "rec2020", False, "with BT.2020 colours"),
        (Said(transfer="BT.709", primaries="BT.2020", make="Petrel"), "rec2020", True, "Petrel FlatLog"),
        (Said(transfer="sRGB", primaries="P3-D65"), "p3", False, "with P3-D65 colours"),
        (Said(transfer="HLG", primaries="BT.2020"), "hlg", False, "tagged HLG"),
        (Said(transfer="linear", primaries="BT.2020"), "aces:Linear Rec.2020", False, "BT.2020"),
        (Said(transfer="BT.709", make="Corvane Ltd"), "rec709", True, "Corvane Log V and others"),
        (Said(transfer="BT.709", make="Petrel"), "rec709", True, "Petrel FlatLog"),
        (Said(tags={"com.petrel.gamma": "FLAT-LOG"}), "aces:Petrel FlatLog", False, "the clip says FLAT-LOG"),
        (Said(tags={"gammacurve": "Log V"}, make="Corvane"), "aces:Corvane Log V", False, "Log V"),
        (Said(tags={"gamma": "CorvaneLog"}), "aces:Corvane Log V", True, "2 encodings"),
        (Said(tags={"title": "Petrel FlatLog"}), "srgb", True, "does not say"),
        (Said(transfer="linear"), "aces:Linear Rec.709 (sRGB)", True, "primaries"),
    ],
)
def test_what_a_file_says_decides(said, encoding, assumed, reason):
    found = likely_encoding(said, [], "srgb", KNOWN)
    assert (found.encoding, found.assumed) == (encoding, assumed)
    assert reason in found.reason


def test_the_productions_table_goes_before_tags_and_a_model_before_its_make():
    table = [Entry("Corvane", "", "file:make.clf"), Entry("corvane", "Twelve", "file:model.clf")]
    assert likely_encoding(Said("Corvane", "Twelve", "HLG"), table, "srgb", KNOWN).encoding == "file:model.clf"
    other = likely_encoding(Said("CORVANE", "Nine"), table, "srgb", KNOWN)
    assert (other.encoding, other.assumed) == ("file:make.clf", False)
    assert likely_encoding(Said("", "Twelve"), table, "srgb", KNOWN).assumed
