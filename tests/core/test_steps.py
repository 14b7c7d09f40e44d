"""Steps, corrections, the four levels and documents: what may be, what is in force where, what is refused."""

import json
from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from dovrel.core.steps import documents
from dovrel.core.steps.carried import as_cdls, left_out
from dovrel.core.steps.chain import apply_in_order
from dovrel.core.steps.copying import with_steps
from dovrel.core.steps.correction import (
    BALANCE,
    EXTENDED,
    LEVELS,
    LONGEST_NAME,
    MOST_STEPS,
    OWN,
    PLAIN,
    Correction,
    Step,
    checked,
)
from dovrel.core.steps.extended import NOTHING, Extended
from dovrel.core.steps.levels import FourLevels
from dovrel.core.steps.primary import IDENTITY, Primary

PART = Extended(((0.9, 0.1, 0.0), (0.0, 1.0, 0.0), (0.0, 0.05, 0.95)))
WARM = Primary(offset=(0.02, 0.0, -0.02))
DEEP = Primary(saturation=1.2)
BRIGHT = Primary(offset=(0.05, 0.05, 0.05))

number = st.floats(0.5, 1.5)
primaries = st.builds(
    Primary,
    st.tuples(number, number, number),
    st.tuples(number, number, number),
    st.tuples(number, number, number),
    number,
)
names = st.text("abcdefg ´ü", min_size=1, max_size=12).map(str.strip).filter(bool)
corrections = st.lists(st.tuples(names, primaries, st.booleans()), max_size=6, unique_by=lambda one: one[0]).map(
    lambda found: Correction(tuple(Step(name, values, on) for name, values, on in found))
)


def worked() -> FourLevels:
    """Four levels with steps at each: of the shot one before its balance, an extended one and one that is off."""
    shot = Correction((Step("warmer", WARM), Step(BALANCE, BRIGHT), Step(EXTENDED, PART), Step("deep", DEEP, on=False)))
    return FourLevels(
        camera=Correction((Step("trim", Primary(saturation=0.9)),)),
        shot=shot,
        family=Correction((Step("look", DEEP), Step("second", WARM))),
    )


def test_steps_are_in_force_in_their_order_while_they_are_on():
    levels = worked().at(0)
    assert levels.in_order == (Primary(saturation=0.9), WARM, BRIGHT, PART, DEEP, WARM, IDENTITY)
    assert levels.balanced == (Primary(saturation=0.9), WARM, BRIGHT, PART)
    assert levels.before_balance == (Primary(saturation=0.9), WARM)
    assert levels.from_balance == (BRIGHT, PART)
    assert levels.before("family", "second")[-1] == DEEP
    assert levels.after("shot", BALANCE) == (PART, DEEP, WARM, IDENTITY)
    assert levels.after("shot", "deep") == (DEEP, WARM, IDENTITY)
    with pytest.raises(LookupError, match="no step “third”"):
        levels.before("shot", "third")


def test_each_level_is_what_comes_between_before_and_after():
    levels = FourLevels(
        **{lv: Correction((Step(OWN[lv], Primary(saturation=1 + i / 10)),)) for i, lv in enumerate(LEVELS)}
    ).at(0)
    for level in LEVELS:
        own = levels.of(level).numbers_of(OWN[level])
        assert (*levels.before(level, OWN[level]), own, *levels.after(level, OWN[level])) == levels.in_order
        assert levels.replaced(level, PLAIN[level]).of(level).is_identity


def test_a_new_balance_leaves_all_other_steps_alone_and_takes_the_extended_one_with_it():
    shot = worked().shot
    matched = shot.balanced(DEEP, NOTHING)
    assert [step.id for step in matched.steps] == ["warmer", BALANCE, EXTENDED, "deep"]
    assert matched.numbers_of(BALANCE) == DEEP
    assert matched.extended_in_force == NOTHING
    alone = shot.balanced(DEEP)
    assert [step.id for step in alone.steps] == ["warmer", BALANCE, "deep"]
    assert alone.step("deep") == shot.step("deep")
    off = shot.with_step(replace(shot.step(BALANCE), on=False))
    assert off.with_values(BALANCE, DEEP).step(BALANCE).on


@pytest.mark.parametrize(
    "steps,said",
    [
        ([Step("a", IDENTITY), Step("a", DEEP)], "two steps are called “a”"),
        ([Step(EXTENDED, PART)], "comes right after a primary one"),
        ([Step("a", IDENTITY), Step("b", PART), Step("c", PART)], "“c” is an extended step"),
        ([Step(str(n), IDENTITY) for n in range(MOST_STEPS + 1)], f"at most {MOST_STEPS} steps, not {MOST_STEPS + 1}"),
    ],
)
def test_impossible_corrections_say_why(steps, said):
    with pytest.raises(ValueError, match=said):
        Correction(tuple(steps))


@pytest.mark.parametrize("name", ["", " a", "a" * (LONGEST_NAME + 1), "a\nb"])
def test_names_of_steps_are_short_words(name):
    with pytest.raises(ValueError, match="a step's name has"):
        Step(name, IDENTITY)


def test_a_level_needs_its_own_step():
    assert checked("shot", PLAIN["shot"]) == PLAIN["shot"]
    for correction in (Correction(), PLAIN["camera"], Correction((Step("a", IDENTITY), Step(BALANCE, PART)))):
        with pytest.raises(ValueError, match="a correction of a shot needs a step of ten numbers called “balance”"):
            checked("shot", correction)
    with pytest.raises(ValueError, match="a number of “balance” lies beyond 1000000"):
        checked("shot", PLAIN["shot"].balanced(Primary(saturation=1e7)))


# Copying


def test_steps_are_copied_by_name_and_the_balance_by_its_controls():
    source = worked().shot
    onto = Correction((Step(BALANCE, DEEP), Step("own", BRIGHT)))
    assert with_steps(source, onto, [BALANCE]).numbers_of(BALANCE) == BRIGHT
    assert [step.id for step in with_steps(source, onto, [BALANCE]).steps] == [BALANCE, "own"]
    lighter = with_steps(source, onto, [BALANCE, "warmer"], ["exposure"])
    assert lighter.numbers_of(BALANCE).saturation == DEEP.saturation
    assert lighter.steps[-1] == Step("warmer", WARM)
    assert [step.id for step in with_steps(source, onto, [EXTENDED]).steps] == [BALANCE, EXTENDED, "own"]
    assert with_steps(onto, source, [EXTENDED]).extended is None
    with pytest.raises(ValueError, match="there is no step “third”"):
        with_steps(source, onto, ["third"])
    with pytest.raises(ValueError, match="choose steps"):
        with_steps(source, onto, [])


# What formats carry


def test_cdls_carry_the_ten_numbers_of_all_levels_and_say_what_they_leave_out(rng):
    levels = worked().at(0)
    carried = as_cdls(levels)
    working = rng.uniform(0.1, 0.8, (50, 3))
    tens = [values for values in levels.in_order if isinstance(values, Primary)]
    assert np.abs(apply_in_order(working, carried) - apply_in_order(working, tens)).max() < 1e-12
    assert len(carried) < len(tens)
    assert left_out(levels, "cdl") == left_out(levels, "ccc") == [EXTENDED]
    assert left_out(levels, "cube") == []
    off = levels.shot.with_step(Step(EXTENDED, PART, on=False))
    assert left_out(levels.replaced("shot", off), "cc") == []
    assert as_cdls(FourLevels().at(0)) == [IDENTITY]


# Documents


@given(corrections)
def test_documents_are_read_as_they_were_written(correction):
    kept = json.loads(json.dumps(documents.written(correction)))
    assert documents.read(kept) == correction
    assert kept["schema"] == documents.SCHEMA


def test_an_extended_step_is_read_as_it_was_written():
    shot = worked().shot
    assert documents.read(json.loads(json.dumps(documents.written(shot)))) == shot


def step(**more) -> dict:
    return {"id": "balance", "values": {"kind": "primary"}, **more}


@pytest.mark.parametrize(
    "document,said",
    [
        ([1, 2], "this is not a correction file"),
        ({"steps": []}, "this is not a correction file"),
        ({"schema": 99, "steps": []}, "written by a newer Dovrel \\(schema 99"),
        ({"schema": "new", "steps": []}, "“schema” must be a whole number"),
        ({"schema": 1, "steps": "none"}, "steps: "),
        ({"schema": 1, "steps": [], "more": 1}, "more is not known here"),
        ({"schema": 1, "steps": [step(values={"kind": "unheard of"})]}, "step 1 is of the kind 'unheard of'"),
        ({"schema": 1, "steps": [{"id": "a"}]}, "step 1, values is missing"),
        ({"schema": 1, "steps": [step(), step(id="b", on="yes")]}, "step 2, on: "),
        ({"schema": 1, "steps": [step(values={"kind": "primary", "slope": [1, "1", 1]})]}, "step 1, slope, 2: "),
        ({"schema": 1, "steps": [step(values={"kind": "primary", "saturation": float("nan")})]}, "must all be finite"),
        ({"schema": 1, "steps": [step(values={"kind": "primary", "power": [0, 1, 1]})]}, "power must be above zero"),
        ({"schema": 1, "steps": [step(id=str(n)) for n in range(100)]}, "at most 32 steps, not 100"),
        ({"schema": 1, "steps": [step(), step()]}, "two steps are called “balance”"),
    ],
)
def test_what_is_no_correction_is_refused_in_a_sentence(document, said):
    with pytest.raises(ValueError, match=said) as refused:
        documents.read(document)
    assert "\n" not in str(refused.value)
    assert len(str(refused.value)) < 200


def test_the_schema_describes_what_is_written():
    schema = documents.json_schema()
    assert schema["required"] == ["schema", "steps"]
    kinds = schema["$defs"]["Step"]["properties"]["values"]["discriminator"]["mapping"]
    assert set(kinds) == {
        "primary",
        "extended",
        "curves",
        "hues",
        "density",
        "zones",
        "rebuild",
        "highs",
        "limits",
        "selection",
        "look",
        "denoise",
        "steady",
        "soften",
        "sharpen",
        "halation",
        "vignette",
        "grain",
    }
    written = documents.written(worked().shot)
    assert set(written) == set(schema["properties"])
    assert set(written["steps"][0]) == set(schema["$defs"]["Step"]["properties"])
