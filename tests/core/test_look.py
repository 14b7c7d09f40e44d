"""Looks: tables in the space they expect, held to OpenColorIO; what their files say; what cannot be right is reported."""

import numpy as np
import PyOpenColorIO as ocio
import pytest

from dovrel.core.colour import codes, look_files, outputs, spaces
from dovrel.core.develop import lattice, whole
from dovrel.core.develop.exact import shown_exactly
from dovrel.core.develop.frame import develop
from dovrel.core.measure.difference import display_difference
from dovrel.core.measure.looked import looked, what_cannot_be_right
from dovrel.core.steps.chain import apply_in_order
from dovrel.core.steps.correction import Correction, Step, checked
from dovrel.core.steps.look import Look, lost
from dovrel.core.steps.primary import Primary
from tests.helpers.looks import clf_file, cube_file, faded, warmer

SHOWN = "output:rec709"


@pytest.fixture
def kept(tmp_path):
    look_files.keep_in(tmp_path / "looks")
    yield look_files.keep
    look_files.keep_in(None)


@pytest.fixture
def warm(kept, tmp_path):
    file = kept(cube_file(tmp_path / "warm.cube", warmer, "takes ACEScct, gives ACEScct"), "warm.cube")
    return Look(file.digest, file.name, file.expected.takes, file.expected.gives)


@pytest.fixture
def fade(kept, tmp_path):
    file = kept(cube_file(tmp_path / "t.cube", faded), "Faded Rec.709 to Rec.709.cube")
    return Look(file.digest, file.name, file.expected.takes, file.expected.gives)


def _by_opencolorio(path, working: np.ndarray, *, on_display: bool) -> np.ndarray:
    shown = ocio.DisplayViewTransform(
        src="ACEScct", display="Rec.1886 Rec.709 - Display", view="ACES 2.0 - SDR 100 nits (Rec.709)"
    )
    table = ocio.FileTransform(src=str(path), interpolation=ocio.INTERP_TETRAHEDRAL)
    steps = ocio.GroupTransform()
    for one in (shown, table) if on_display else (table, shown):
        steps.appendTransform(one)
    processor = outputs.config().getProcessor(steps).getDefaultCPUProcessor()
    return outputs.run(processor, working)


@pytest.mark.parametrize("name", ["12A-1", "14A-1", "22A-1"])
@pytest.mark.parametrize("which", ["warm", "fade"])
def test_a_table_shows_what_opencolorio_shows_by_it(request, demo_frame, table, which, name):
    look = request.getfixturevalue(which)
    picture = demo_frame(name)
    wanted = _by_opencolorio(look_files.path_of(look.digest), picture.working, on_display=which == "fade")
    located = lattice.locate(picture.packed)
    for shown in (
        shown_exactly(picture.working, [look]),
        codes.decode_signal(develop(picture.packed, [look], table, located).transpose(1, 2, 0)),
        codes.decode_signal(develop(picture.packed, [look], table).transpose(1, 2, 0)),
    ):
        difference = display_difference(shown[::3, ::3], wanted[::3, ::3])
        assert difference.mean() <= 0.1
        assert np.percentile(difference, 99) <= 0.5
    assert display_difference(shown_exactly(picture.working, []), wanted).mean() > 1


def test_half_the_strength_goes_half_the_way(warm, rng):
    working = rng.uniform(0.1, 0.8, (500, 3))
    half = Look(warm.digest, warm.name, strength=0.5).apply(working)
    assert np.allclose(half, (working + warm.apply(working)) / 2)
    assert Look(warm.digest, warm.name, strength=0.0).is_identity
    assert warm.between(Look(warm.digest, warm.name, strength=0.2), 0.5).strength == pytest.approx(0.6)


def test_beyond_its_ends_a_look_goes_on_as_it_ended(warm, table):
    ends = np.array([[1.0, 1.0, 1.0], [0.0, 0.0, 0.0]])
    beyond = ends + np.array([[0.2], [-0.05]])
    assert np.allclose(warm.apply(beyond) - beyond, warm.apply(ends) - ends)


def test_two_looks_one_after_another(warm, fade, demo_frame, table):
    picture = demo_frame("12A-1")
    chain = [warm, Primary(saturation=0.9), Look(fade.digest, fade.name, fade.takes, fade.gives, 0.5)]
    fast = codes.decode_signal(develop(picture.packed, chain, table, lattice.locate(picture.packed)).transpose(1, 2, 0))
    difference = display_difference(fast[::3, ::3], shown_exactly(picture.working, chain)[::3, ::3])
    assert difference.mean() <= 0.1
    assert np.percentile(difference, 99) <= 0.5


def test_a_cube_carries_the_look(warm, demo_frame):
    picture = demo_frame("12A-1")
    recorded = np.ascontiguousarray(picture.recorded[::2, ::2]).reshape(-1, 3)
    nodes = whole.bake("aces:ACEScct", [warm], colours=picture.working[::2, ::2].reshape(-1, 3)[::8])
    working = picture.working[::2, ::2].reshape(-1, 3)
    carried = whole.tetrahedral_weights(working, whole.SIZE) @ nodes.reshape(-1, 3)
    assert recorded.shape == working.shape
    difference = display_difference(carried.astype(np.float32), shown_exactly(working, [warm]))
    assert difference.mean() <= 0.2


@pytest.mark.parametrize(
    ("name", "about", "takes", "gives", "assumed"),
    [
        ("x.cube", "takes ACEScct, gives ACEScct", "aces:ACEScct", "aces:ACEScct", False),
        ("x.cube", "made for ACEScct; to Rec.709", "aces:ACEScct", SHOWN, False),
        ("night_ACEScg_to_BT1886.cube", "", "aces:ACEScg", SHOWN, False),
        ("night rec709.cube", "", SHOWN, SHOWN, True),
        ("x.cube", "a table", "aces:ACEScct", "aces:ACEScct", True),
        ("x.cube", "ACEScc to ACES2065-1", "aces:ACEScc", "aces:ACES2065-1", False),
    ],
)
def test_what_a_file_expects_is_taken_from_its_own_words(kept, tmp_path, name, about, takes, gives, assumed):
    found = kept(cube_file(tmp_path / "t.cube", warmer, about, size=5), name).expected
    assert (found.takes, found.gives, found.assumed) == (takes, gives, assumed)
    assert found.reason


def test_a_clf_says_by_its_descriptors(kept, tmp_path):
    file = kept(clf_file(tmp_path / "l.clf", "ACES2065-1", "Rec.709 display", warmer), "l.clf")
    assert (file.expected.takes, file.expected.gives, file.expected.assumed) == ("aces:ACES2065-1", SHOWN, False)
    assert look_files.kept() == [file]
    assert look_files.path_of(file.digest).suffix == ".clf"


def test_every_space_comes_back():
    values = np.array([[0.42, 0.40, 0.37], [0.3, 0.32, 0.35], [0.5, 0.45, 0.4]], np.float32)
    for space in spaces.available():
        back = spaces.to_working(spaces.from_working(values, space.id), space.id)
        assert np.abs(back - values).max() < 2e-3, space.id


def _bad(path, text: str):
    path.write_text(text)
    return path


CUT_SHORT = "LUT_3D_SIZE 9\n0 0 0\n0.1 0 0\n"


@pytest.mark.parametrize(
    ("name", "text", "said"),
    [
        ("cut.cube", CUT_SHORT, "cut.cube: not a readable look"),
        ("nan.cube", "LUT_3D_SIZE 2\n" + 8 * "nan 0 0\n", "holds values that are not numbers"),
        ("huge.cube", "LUT_3D_SIZE 2\n" + 8 * "1e30 0 0\n", "holds values beyond"),
        ("words.cube", "all the king's horses", "not a readable look"),
        ("words.clf", "<ProcessList>", "not a readable look"),
        ("picture.png", "", "must be a .clf or a .cube"),
    ],
    ids=["cut short", "no numbers", "beyond all light", "words", "words as a CLF", "a picture"],
)
def test_a_file_that_is_no_table_is_refused_with_a_sentence(kept, tmp_path, name, text, said):
    with pytest.raises(ValueError, match=said) as refused:
        kept(_bad(tmp_path / name, text), name)
    assert "\n" not in str(refused.value)
    assert look_files.kept() == []


def test_a_file_that_changes_later_changes_nothing(kept, tmp_path):
    source = cube_file(tmp_path / "t.cube", warmer, size=9)
    look = Look(kept(source, "t.cube").digest, "t")
    before = look.apply(np.full((1, 3), 0.5))
    cube_file(source, faded, size=9)
    assert np.array_equal(look.apply(np.full((1, 3), 0.5)), before)
    assert len(look_files.kept()) == 1
    kept(source, "t.cube")
    assert len(look_files.kept()) == 2


def test_a_look_whose_file_is_gone_leaves_the_picture_and_is_named(warm, demo_frame, table):
    picture = demo_frame("12A-1")
    look_files.path_of(warm.digest).unlink()
    assert lost([warm, Primary()]) == [warm]
    assert np.array_equal(develop(picture.packed, [warm], table), develop(picture.packed, [], table))
    with pytest.raises(look_files.LookMissing, match="bring it in again"):
        shown_exactly(picture.working, [warm])
    assert look_files.kept() == []


def test_a_correction_becomes_a_look(kept, tmp_path, demo_frame):
    chain = [Primary((1.1, 1.0, 0.95), (-0.03, 0.0, 0.02), saturation=0.8)]
    from dovrel.formats import cube

    path = tmp_path / "made.cube"
    cube.write(path, whole.look_of(chain), "made", "takes ACEScct, gives ACEScct")
    look = Look(kept(path, "made.cube").digest, "made")
    working = demo_frame("12A-1").working[::4, ::4].reshape(-1, 3)
    difference = display_difference(shown_exactly(working, [look]), shown_exactly(working, chain))
    assert difference.mean() < 0.1
    assert difference.max() < 1
    assert np.abs(apply_in_order(working, chain) - working).max() > 0.02


def test_what_cannot_be_right_is_told(warm, fade, demo_frame):
    working = demo_frame("12A-1").working[::4, ::4].reshape(-1, 3)
    assert what_cannot_be_right(warm, working) == []
    assert what_cannot_be_right(fade, working) == []
    linear = Look(warm.digest, "w", "aces:ACEScg", "aces:ACEScg")
    bright = working + np.float32(0.2)
    assert any("beyond what its table takes as ACEScg" in said for said in what_cannot_be_right(linear, bright))
    as_light = Look(warm.digest, "w", "aces:ACEScct", "aces:ACEScg")
    assert any("of the picture's contrast" in said for said in what_cannot_be_right(as_light, working))
    as_log = Look(warm.digest, "w", "aces:ACES2065-1", "aces:ACEScct")
    assert any("stops darker" in said for said in what_cannot_be_right(as_log, working))


def test_what_a_look_does_to_skin_and_neutrals(demo_frame, table):
    picture = demo_frame("12A-1")
    numbers = Primary(offset=(0.004, 0.0, 0.01))
    before = develop(picture.packed, [numbers], table)
    same = looked(before, before)
    assert same.skin_before == same.skin_after
    assert all(one == other for one, other in same.casts.values())
    warmed = looked(before, develop(picture.packed, [numbers, Primary(offset=(0.02, 0.0, -0.02))], table))
    assert warmed.casts
    for (cb, cr), (cb_after, cr_after) in warmed.casts.values():
        assert cb_after < cb
        assert cr_after > cr
    grey = np.full((3, 30, 30), codes.encode_signal(np.array(0.5)), np.uint16)
    assert looked(grey, grey).skin_before is None


def test_a_look_stands_at_the_family_and_the_show_alone(warm):
    of_show = Correction((Step("finish", Primary()), Step("look", warm)))
    assert checked("show", of_show) is of_show
    with pytest.raises(ValueError, match="“look” is a look, which is for a family or the whole show"):
        checked("shot", Correction((Step("balance", Primary()), Step("look", warm))))
    with pytest.raises(ValueError, match="strength lies between 0 and 1"):
        Look(warm.digest, "w", strength=1.5)
    with pytest.raises(ValueError, match="no colour space"):
        Look(warm.digest, "w", takes="aces:Nowhere")
