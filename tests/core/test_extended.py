"""The extended step: matrix and curves against OpenColorIO and closed forms, and when a fit is believed."""

import numpy as np
import PyOpenColorIO as ocio
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from dovrel.core.colour import codes, outputs
from dovrel.core.correct.solve import solve
from dovrel.core.develop import lattice, whole
from dovrel.core.develop.frame import develop, display_of
from dovrel.core.match import Evidence, match
from dovrel.core.match.extend import extend, fit_extended
from dovrel.core.match.fit import Pairs, differences
from dovrel.core.measure.difference import display_difference
from dovrel.core.measure.readings import readings_of_display
from dovrel.core.measure.sampled import take_sample
from dovrel.core.steps.carried import combined
from dovrel.core.steps.chain import apply_in_order
from dovrel.core.steps.extended import KNOTS, NOTHING, Extended, along_curve
from dovrel.core.steps.primary import IDENTITY, Primary

CAMERA = Extended(
    ((0.92, 0.10, -0.02), (0.05, 0.90, 0.05), (-0.03, -0.08, 1.11)),
    ((0.010, 0.004, 0.0, -0.006, -0.012), (0.0, 0.0, 0.0, 0.0, 0.0), (-0.004, 0.0, 0.002, 0.0, 0.004)),
)
PLAIN_CURVES = NOTHING.curves

off = st.floats(-0.15, 0.15)
offset = st.floats(-0.018, 0.018)


@st.composite
def parts(draw) -> Extended:
    a, b, c, d, e, f = (draw(off) for _ in range(6))
    matrix = ((1 - a - b, a, b), (c, 1 - c - d, d), (e, f, 1 - e - f))
    red, green, blue = (tuple(draw(offset) for _ in KNOTS) for _ in range(3))
    return Extended(matrix, (red, green, blue))


def test_the_matrix_is_that_of_opencolorio_in_linear_light(rng):
    """ACEScct to linear AP1, the matrix, and back, by OpenColorIO's own transforms."""
    config = ocio.Config.CreateFromBuiltinConfig("cg-config-v2.1.0_aces-v1.3_ocio-v2.3")
    matrix = np.eye(4)
    matrix[:3, :3] = CAMERA.matrix
    group = ocio.GroupTransform(
        [
            ocio.ColorSpaceTransform("ACEScct", "ACEScg"),
            ocio.MatrixTransform(matrix.ravel().tolist()),
            ocio.ColorSpaceTransform("ACEScg", "ACEScct"),
        ]
    )
    processor = config.getProcessor(group).getDefaultCPUProcessor()
    working = rng.uniform(0.16, 0.7, (500, 3)).astype(np.float32)
    expected = working.copy()
    processor.applyRGB(expected)
    assert np.abs(Extended(CAMERA.matrix).apply(working) - expected).max() < 2e-5


@settings(deadline=None, max_examples=60)
@given(parts(), st.floats(0.0, 0.9))
def test_grey_stays_grey_under_any_matrix(part, level):
    grey = np.full((1, 3), level)
    assert np.abs(Extended(part.matrix).apply(grey) - grey).max() < 1e-6


@settings(deadline=None, max_examples=60)
@given(parts())
def test_curves_pass_their_knots_and_never_fall(part):
    axis = np.linspace(-0.2, 1.2, 3000)
    for offsets in part.curves:
        assert np.allclose(along_curve(np.array(KNOTS), offsets), np.add(KNOTS, offsets), atol=1e-12)
        assert np.diff(along_curve(axis, offsets)).min() >= -1e-12


@settings(deadline=None, max_examples=40)
@given(parts(), st.floats(0, 1))
def test_numbers_go_there_and_back_and_strength_is_even(part, strength):
    assert np.array_equal(Extended.from_array(part.as_array()).as_array(), part.as_array())
    weak = part.at_strength(strength).as_array() - NOTHING.as_array()
    assert np.allclose(weak, strength * (part.as_array() - NOTHING.as_array()), atol=1e-12)


@pytest.mark.parametrize(
    "matrix,curves,why",
    [
        (((1.1, 0, 0), (0, 1, 0), (0, 0, 1)), PLAIN_CURVES, "sum to one"),
        (((float("nan"), 0, 0), (0, 1, 0), (0, 0, 1)), PLAIN_CURVES, "finite"),
        (NOTHING.matrix, ((0.1, 0.0, 0.0, 0.0, 0.0), *PLAIN_CURVES[1:]), "falls"),
    ],
)
def test_parts_that_would_harm_are_refused(matrix, curves, why):
    with pytest.raises(ValueError, match=why):
        Extended(matrix, curves)
    with pytest.raises(ValueError, match="24"):
        Extended.from_array([1.0] * 10)


def test_the_quick_way_agrees_with_the_exact_one(demo_frame, table):
    """Kernels in single precision and by tables, beside double precision, within a larger chain."""
    working = demo_frame("12C-2").working.reshape(-1, 3)
    chain = [Primary(offset=(0.02, 0, -0.01)), CAMERA, Primary(saturation=1.2)]
    exact = display_of(apply_in_order(working, chain).astype(np.float32), [], table)
    assert np.abs(display_of(working, chain, table) - exact).max() < 1e-4


def test_a_cube_carries_the_extended_part(demo_frame):
    chain = [Primary(offset=(0.03, 0.0, -0.02)), CAMERA]
    colours = demo_frame("12B-1").working.reshape(-1, 3)[::17]
    nodes = whole.bake("aces:ACEScct", chain, colours=colours)
    shown = whole.tetrahedral_weights(colours, nodes.shape[0]) @ nodes.reshape(-1, 3)
    exact = outputs.to_display(apply_in_order(colours, chain))
    difference = display_difference(np.clip(shown, 0, 1)[None], np.clip(exact, 0, 1)[None])
    assert difference.mean() < 0.1
    assert np.percentile(difference, 99) < 0.5
    without = outputs.to_display(apply_in_order(colours, chain[:1]))
    assert display_difference(np.clip(without, 0, 1)[None], np.clip(exact, 0, 1)[None]).mean() > 1


def test_chains_are_not_joined_across_it(rng):
    chain = [Primary(offset=(0.1, 0, 0)), CAMERA, Primary(saturation=1.1), Primary(saturation=0.9)]
    joined = combined(chain)
    assert joined[1] == CAMERA
    assert len(joined) == 3
    working = rng.uniform(0.1, 0.7, (50, 3))
    assert np.abs(apply_in_order(working, joined) - apply_in_order(working, chain)).max() < 1e-12


@pytest.fixture
def seen_by_another_camera(rng, table):
    """Pairs of which one side is what a camera with a matrix and curves of its own made of the other."""

    def pairs(part: Extended, scatter: float) -> Pairs:
        shot = rng.uniform(0.25, 0.55, (500, 3)).astype(np.float32)
        seen = part.apply(shot) + rng.normal(0, scatter, shot.shape)
        return Pairs(shot, display_of(seen.astype(np.float32), [], table), np.ones(500), rng.random((500, 2)))

    return pairs


def test_a_known_matrix_and_curves_are_found(seen_by_another_camera, table):
    pairs = seen_by_another_camera(CAMERA, 0.0)
    found = fit_extended(pairs, IDENTITY, table, pull=0.005)
    assert np.abs(np.array(found.matrix) - CAMERA.matrix).max() < 0.03
    before, after = (differences(pairs, chain, table).mean() for chain in ([], [found]))
    assert after < 0.15 * before


def test_what_it_gains_is_measured_where_it_was_not_fitted(seen_by_another_camera, table):
    extension = extend(seen_by_another_camera(CAMERA, 0.004), IDENTITY, table)
    assert extension.extended is not None
    assert extension.gained > 0.25


def test_scatter_alone_is_not_believed(seen_by_another_camera, table):
    extension = extend(seen_by_another_camera(NOTHING, 0.03), IDENTITY, table)
    assert extension.extended is None


def test_too_few_pairs_or_one_corner_say_nothing(seen_by_another_camera, table):
    pairs = seen_by_another_camera(CAMERA, 0.0)
    assert extend(pairs.where(np.arange(40)), IDENTITY, table).extended is None
    corner = Pairs(pairs.shot, pairs.reference, pairs.weight, 0.05 * pairs.place)
    assert extend(corner, IDENTITY, table).extended is None


def test_a_match_goes_on_where_ten_numbers_end(demo_frame, table):
    """12A-1 seen by a camera with a matrix of its own: ten numbers cannot undo it, the extended step can."""
    frame = demo_frame("12A-1", 0, 960)
    other = CAMERA.apply(frame.working).astype(np.float32)
    evidence = Evidence(frame.working, other, frame.recorded, table)
    plain, further = match(evidence), match(evidence, extended=True)
    assert plain.extended is None
    assert further.extended is not None
    assert further.numbers == plain.numbers
    assert further.distance_after < 0.7 * plain.distance_after
    truth = display_of(frame.working, [], table)
    errors = [
        np.abs(display_of(other, chain, table) - truth).mean() for chain in ([plain.numbers], further_chain(further))
    ]
    assert errors[1] < 0.85 * errors[0]
    half = match(evidence, extended=True, strength=0.5)
    assert half.extended == further.extended.at_strength(0.5)


def further_chain(result) -> list:
    return [result.numbers, result.extended]


def test_it_is_left_out_where_only_a_part_of_the_look_is_matched(demo_frame, table):
    frame = demo_frame("12A-1", 0, 960)
    other = CAMERA.apply(Primary(offset=(0.05, 0.02, 0)).apply(frame.working)).astype(np.float32)
    result = match(Evidence(frame.working, other, frame.recorded, table), what=["levels"], extended=True)
    assert result.extended is None
    assert "extended step needs" in " ".join(result.notes)


@pytest.mark.parametrize("located", [True, False])
def test_every_way_of_developing_carries_it(demo_frame, table, located):
    """A frame in its lattice, as under the hand, and through a whole lattice, as when played."""
    picture = demo_frame("12C-2", 0, 960)
    chain = [Primary(offset=(0.03, 0.0, -0.05)), CAMERA]
    display = develop(picture.packed, chain, table, lattice.locate(picture.packed) if located else None)
    shown = codes.decode_signal(display).transpose(1, 2, 0)
    exact = display_of(apply_in_order(picture.working, chain).astype(np.float32), [], table)
    difference = display_difference(shown, exact)
    assert difference.mean() < 0.1
    assert np.percentile(difference, 99) < 0.5


def test_readings_are_solved_for_under_it(demo_frame, table):
    """A part in force after the balance is seen by the solver: what it meets is met on the screen."""
    sample = take_sample(demo_frame("12A-1").working.reshape(-1, 3)).astype(np.float32)
    start = readings_of_display(display_of(sample, [CAMERA], table))
    aims = start + np.array([0.5, 2.0, 1.0, 0.3, 1.0, -1.5, 0.2, -1.0, -2.0, 0.5])
    solution = solve(sample, IDENTITY, aims, table, after=[CAMERA])
    reached = readings_of_display(display_of(sample, [solution.numbers, CAMERA], table))
    assert solution.missed == ()
    assert np.abs(reached - aims).max() <= 0.25
