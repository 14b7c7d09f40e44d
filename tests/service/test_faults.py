"""What went wrong, as a sentence: a mistake of the program has a number, and its trace is logged under it."""

import logging
import re

import pytest

from dovrel.errors import Cancelled, NotFound, Refused
from dovrel.media.faults import MediaFault
from dovrel.service.faults import is_mistake, said_of


@pytest.mark.parametrize(
    "error",
    [
        KeyError("steps"),
        IndexError("list index out of range"),
        ZeroDivisionError(),
        TypeError("no"),
        ValueError("x"),
        LookupError("y"),
    ],
)
def test_a_mistake_is_logged_with_its_trace_under_a_number(caplog, error):
    with caplog.at_level(logging.ERROR):
        said = said_of(error)
    number = re.search(r"\(fault ([0-9a-f]{6})\)", said)
    assert number
    (record,) = caplog.records
    assert record.getMessage() == f"fault {number[1]}"
    assert record.exc_info[1] is error


@pytest.mark.parametrize(
    "error",
    [
        Refused("12A-1: no reference yet"),
        NotFound("there is no shot 7"),
        MediaFault("a.mov", "it is empty"),
        Cancelled(),
    ],
)
def test_a_refusal_is_its_own_sentence(caplog, error):
    assert not is_mistake(error)
    assert said_of(error) == str(error.args[0])
    assert caplog.records == []


def test_a_mistake_is_answered_with_500(api, running, monkeypatch):
    def mistaken(*_):
        return {}["steps"]

    monkeypatch.setattr("dovrel.service.routes.day.the_production", mistaken)
    answer = api.get("/day")
    assert answer.status_code == 500
    assert "by a mistake in Dovrel (fault " in answer.json()["detail"]
