"""Ties, parts of a look, and what oblique views may and may not do to a match."""

import numpy as np
import pytest

from dovrel.core.colour.working import STOP
from dovrel.core.develop.frame import display_of
from dovrel.core.match import Evidence, match, residuals
from dovrel.core.match.fit import Pairs, differences, fit, to_numbers, to_vector
from dovrel.core.match.parts import PARTS, parts_of
from dovrel.core.match.ties import Tie, followed, patch_mean
from dovrel.core.measure.difference import ciede2000, lab_of_display
from dovrel.core.steps.primary import IDENTITY, Primary
from dovrel.core.steps.track import Track


@pytest.fixture
def scattered(rng, table):
    """Pairs under a known gain, each surface seen a little different by the other camera."""

    def pairs(gain, scatter: float) -> Pairs:
        shot = rng.uniform(0.25, 0.55, (400, 3)).astype(np.float32)
        seen = shot + np.float32(np.array(gain) * STOP) + rng.normal(0, scatter * STOP, shot.shape).astype(np.float32)
        return Pairs(shot, display_of(seen.astype(np.float32), [], table), np.ones(400), rng.random((400, 2)))

    return pairs


def test_a_fit_finds_a_known_gain_from_anywhere(scattered, table):
    gain = np.array((0.8, 0.2, -0.9))
    found = fit(scattered(gain, 0.0), IDENTITY, table, "light")
    assert np.abs(np.array(found.offset) / STOP - gain).max() < 0.05
    assert found.slope == IDENTITY.slope


def test_scatter_does_not_flatten_what_only_light_changed(scattered, table):
    """The light alone is fitted without a bias; a free slope would be drawn towards zero."""
    pairs = scattered((0.5, 0.5, 0.5), 0.6)
    light = fit(pairs, IDENTITY, table, "light")
    assert np.abs(np.array(light.offset) / STOP - 0.5).max() < 0.12
    free = fit(pairs, light, table, "contrast", pull=0.0)
    assert np.mean(free.slope) * free.saturation < 0.97


def test_parameters_go_there_and_back():
    numbers = Primary((1.1, 0.9, 1.0), (0.02, -0.03, 0.0), (0.9, 1.0, 1.2), 1.4)
    assert np.allclose(to_numbers(to_vector(numbers)).as_array(), numbers.as_array(), atol=1e-9)


def test_parts_of_a_look_are_taken_apart_and_together():
    answer = Primary((1.2, 1.1, 1.0), (0.03, 0.0, -0.05), (1.0, 0.95, 1.0), 0.7)
    assert parts_of(IDENTITY, answer, PARTS) == answer
    levels = parts_of(IDENTITY, answer, ["levels"])
    assert np.ptp(to_vector(levels)[:3]) < 1e-9
    assert levels.saturation == pytest.approx(1.0)
    cast = parts_of(IDENTITY, answer, ["cast"])
    assert to_vector(cast)[3:6].mean() == pytest.approx(to_vector(IDENTITY)[3:6].mean())
    assert parts_of(IDENTITY, answer, ["saturation"]) == Primary(saturation=answer.saturation)
    with pytest.raises(ValueError, match="choose"):
        parts_of(IDENTITY, answer, [])


def test_ties_alone_make_their_patches_measure_the_same(demo_frame, table):
    reference, shot = demo_frame("12A-1", width=640), demo_frame("12C-2", width=640)
    # The wall between the posters, a poster's paper, the door.
    patches = [((0.60, 0.30), (0.64, 0.40)), ((0.10, 0.35), (0.16, 0.60))]
    ties = [Tie(box, box) for box in patches]
    evidence = Evidence(reference.working, shot.working, shot.recorded, table, ties=ties, ties_alone=True)
    result = match(evidence)
    assert result.basis == "ties"
    assert "2 ties" in " ".join(result.notes)
    assert evidence.pairs is not None
    before, after = (differences(evidence.pairs, [n], table) for n in (IDENTITY, result.numbers))
    assert after.mean() < 0.35 * before.mean()
    with pytest.raises(ValueError, match="ties"):
        Evidence(reference.working, shot.working, shot.recorded, table, ties_alone=True)


def test_a_tie_needs_an_area():
    with pytest.raises(ValueError, match="area"):
        Tie(((0.2, 0.2), (0.2, 0.4)), ((0.1, 0.1), (0.2, 0.2)))


def test_a_patch_is_a_plain_mean(rng):
    image = rng.random((20, 40, 3))
    assert np.allclose(patch_mean(image, ((0.25, 0.5), (0.5, 0.75))), image[10:15, 10:20].mean(axis=(0, 1)))
    assert np.allclose(patch_mean(image, ((0.001, 0.001), (0.002, 0.002))), image[0, 0])


def test_a_patch_follows_its_subject_and_is_gone_where_that_is_lost_or_outside():
    box = ((0.1, 0.1), (0.2, 0.2))
    track = Track(
        3, 2, ((0.15, 0.15, 0, 1), (0.15, 0.15, 0, 1), (0.45, 0.35, 30, 2), (0.99, 0.5, 0, 1), (1.04, 0.5, 0, 1)), 1.6
    )
    assert followed(box, track, 3) == box
    assert followed(box, track, 4) == pytest.approx(np.array([[0.35, 0.25], [0.55, 0.45]]))
    assert followed(box, track, 5) == pytest.approx(np.array([[0.94, 0.45], [1.0, 0.55]]))
    assert followed(box, track, 6) is None
    assert followed(box, track, 1) is None
    assert followed(box, track, 7) is None


def test_a_difference_that_nobody_sees_is_left_alone(demo_frame, table):
    """A two-hundredth of a stop between a shot and its reference; a tenth of a stop is mended."""
    reference = demo_frame("12A-1")
    for stops, mended in ((0.005, False), (0.1, True)):
        shot = reference.working + np.float32(stops * STOP)
        result = match(Evidence(reference.working, shot, reference.recorded, table))
        assert (result.numbers != IDENTITY) == mended
        assert result.distance_after <= result.distance_before


def test_another_angle_under_the_same_light_changes_nothing(demo_frame, table):
    """12B-1 was exposed and set as the reference was: from across the room surfaces only look different."""
    reference, shot = demo_frame("12A-1", 0, 960), demo_frame("12B-1", 0, 960)
    result = match(Evidence(reference.working, shot.working, shot.recorded, table))
    assert result.numbers == IDENTITY
    assert "nothing was changed" in " ".join(result.notes)


@pytest.mark.parametrize("name,stops", [("12A-2", 1.1), ("21A-2", -0.8)])
def test_a_wrong_exposure_is_found_from_another_angle(demo_frame, table, name, stops):
    reference = demo_frame("12A-1" if name.startswith("12") else "21A-1", 0, 960)
    shot = demo_frame(name, 0, 960)
    result = match(Evidence(reference.working, shot.working, shot.recorded, table))
    grey = result.numbers.apply(np.full((1, 3), 0.41359))[0] - 0.41359
    assert np.abs(grey / STOP - stops).max() < 0.3


def test_the_reference_s_contrast_is_tried_on_the_shot(demo_frame, table):
    """A reference that was given contrast asks for it in the shot, also where only light is fitted."""
    graded = Primary((1.25, 1.25, 1.25), (-0.1034, -0.1034, -0.1034))
    there, shot = demo_frame("12A-1", 0, 960), demo_frame("12A-2", 0, 960)
    evidence = Evidence(there.working, shot.working, shot.recorded, table, reference_balance=[graded])
    result = match(evidence)
    assert np.mean(result.numbers.slope) == pytest.approx(1.25, abs=0.02)


def test_thinning_keeps_the_ties_and_the_weights(rng):
    pairs = Pairs(rng.random((3000, 3)), rng.random((3000, 3)), rng.uniform(0.5, 1.5, 3000), rng.random((3000, 2)))
    thin = pairs.thinned(700, keep=5)
    assert len(thin) == 700
    assert np.array_equal(thin.shot[:5], pairs.shot[:5])
    assert np.array_equal(thin.weight[:5], pairs.weight[:5])
    assert thin.weight[5:].sum() == pytest.approx(pairs.weight[5:].sum())
    assert pairs.thinned(4000) is pairs


def test_ties_join_the_points_and_pull_the_answer(demo_frame, table):
    """A tie that asks for something else draws the whole match towards it, and only so far."""
    reference, shot = demo_frame("12A-1", 0, 960), demo_frame("12B-3", 0, 960)
    plain = match(Evidence(reference.working, shot.working, shot.recorded, table))
    # The red apron tied to the white shirt's sleeve: nothing that could be met.
    odd = Tie(((0.29, 0.55), (0.33, 0.65)), ((0.66, 0.40), (0.69, 0.46)))
    tied = match(Evidence(reference.working, shot.working, shot.recorded, table, ties=[odd]))
    assert "1 tie held" in " ".join(tied.notes)
    assert tied.numbers != plain.numbers
    assert tied.distance_after > plain.distance_after


def test_skin_comes_first_where_it_is_asked_to(demo_frame, table):
    """12C-2 from beside the reference: with skin first, what is left of skin is less."""
    reference, shot = demo_frame("12A-1", 0, 960), demo_frame("12C-2", 0, 960)
    evidence = Evidence(reference.working, shot.working, shot.recorded, table)
    plain, first = match(evidence), match(evidence, what=[*PARTS, "skin"])
    assert plain.residuals.skin is not None
    assert first.residuals.skin is not None
    assert first.residuals.skin < 0.8 * plain.residuals.skin
    assert "skin comes first" in " ".join(first.notes)
    assert first.distance_after < 1.3 * plain.distance_after
    with pytest.raises(ValueError, match="choose"):
        match(evidence, what=["skin"])


def test_skin_that_is_not_there_cannot_come_first(demo_frame, table):
    reference, shot = demo_frame("12A-1", 0, 960), demo_frame("12B-1", 0, 960)
    mask = np.zeros(shot.packed.shape[:2], np.uint8)
    mask[:200, 400:] = 1
    evidence = Evidence(reference.working, shot.working, shot.recorded, table, shot_mask=mask)
    assert "hardly any skin" in " ".join(match(evidence, what=[*PARTS, "skin"]).notes)


def test_residuals_are_of_mean_colours_and_scatter_does_not_enter(rng, table):
    """Scatter about the right colours leaves next to nothing; a constant cast is reported in every zone."""
    shot = rng.uniform(0.25, 0.55, (4000, 3)).astype(np.float32)
    right = display_of(shot, [], table)
    scattered = display_of(shot + rng.normal(0, 0.01, shot.shape).astype(np.float32), [], table)
    pairs = Pairs(shot, right, np.ones(4000), rng.random((4000, 2)))
    assert np.mean(ciede2000(lab_of_display(scattered), lab_of_display(right))) > 2
    assert residuals.of_pairs(pairs, scattered).off < 0.6
    cast = display_of(shot + np.array([0.02, 0, -0.02], np.float32), [], table)
    found = residuals.of_pairs(pairs, cast)
    assert min(found.lows, found.mids, found.highs) > 3
    assert found.worst >= np.percentile(ciede2000(lab_of_display(cast), lab_of_display(right)), 89)
    assert found.off == pytest.approx(residuals.of_pictures(cast, right).off, abs=1.5)


def test_the_worst_tenth_tells_of_a_part_that_the_means_hide(rng, table):
    """A tenth and a half of the places is coloured wrongly: the mean stays small, and nine tenths no longer lie near."""
    shot = rng.uniform(0.25, 0.55, (2000, 3)).astype(np.float32)
    right = display_of(shot, [], table)
    shown = right.copy()
    shown[:300, 2] += 0.15
    pairs = Pairs(shot, right, np.ones(2000), rng.random((2000, 2)))
    apart = ciede2000(lab_of_display(shown), lab_of_display(right))
    found = residuals.of_pairs(pairs, shown)
    assert found.worst == pytest.approx(np.percentile(apart, 90), rel=0.02)
    assert found.worst > 5 * apart.mean() / 2
    halved = Pairs(shot, right, np.where(np.arange(2000) < 300, 0.5, 1.0), pairs.place)
    assert residuals.of_pairs(halved, shown).worst < 0.1
    assert residuals.of_pictures(shown, right).worst is None


def test_what_changes_nothing_is_not_offered_as_unsure(table):
    """Two smooth ramps that share no points and look the same: there is nothing to apply, so nothing to ask about."""
    ramp = np.linspace(0.25, 0.5, 320, dtype=np.float32)[None, :, None].repeat(180, axis=0).repeat(3, axis=2)
    result = match(Evidence(ramp, ramp, ramp, table))
    assert (result.basis, result.numbers) == ("none", IDENTITY)
    assert result.sure
