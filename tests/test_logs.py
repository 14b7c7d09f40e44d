"""The log files of a data folder: what is kept in them, how much, and what the user sees."""

import logging
import re
import subprocess
import sys

import pytest

from dovrel.machine.logs import KEPT, LOGS, MOST_BYTES, log_to, report_mistake


@pytest.fixture
def put_back():
    """The root logger as it was."""
    root = logging.getLogger()
    before = root.handlers[:], root.level
    yield
    for handler in root.handlers:
        if handler not in before[0]:
            handler.close()
    root.handlers[:], root.level = before[0], before[1]


def test_a_mistake_is_in_the_data_folders_log_under_the_number_that_is_told(tmp_path, put_back):
    file = log_to(tmp_path, "server")
    with pytest.raises(KeyError) as raised:
        {}["steps"]
    said = report_mistake(raised.value)
    assert file == tmp_path / LOGS / "server.log"
    assert f"{LOGS}/server.log in the data folder says more" in said
    number = re.search(r"fault ([0-9a-f]{6})", said)
    assert number
    logged = file.read_text()
    assert f"fault {number[1]}" in logged
    assert "KeyError: 'steps'" in logged
    assert "test_logs.py" in logged


def test_a_log_is_begun_anew_when_it_is_full(tmp_path, put_back):
    file = log_to(tmp_path, "worker")
    for number in range(6 * MOST_BYTES // 10_000):
        logging.getLogger("dovrel.test").warning("%d %s", number, "x" * 10_000)
    files = sorted(one.name for one in file.parent.iterdir())
    assert files == ["worker.log", *(f"worker.log.{n}" for n in range(1, KEPT + 1))]
    assert all(one.stat().st_size <= MOST_BYTES for one in file.parent.iterdir())


def test_without_a_data_folder_the_terminal_says_more():
    script = "from dovrel.machine.logs import report_mistake; print(report_mistake(ValueError('of a library')))"
    run = subprocess.run([sys.executable, "-c", script], capture_output=True, text=True, check=True)
    assert "the terminal says more" in run.stdout
    assert "ValueError: of a library" in run.stdout + run.stderr
