"""Each command's help: what it is called, and examples that work when they are pasted."""

import re
import shlex

import pytest
import typer
from typer.testing import CliRunner

from dovrel import cli
from dovrel.headless.checked import ROOT
from dovrel.headless.examples import EXAMPLES

COMMANDS = {name: one for name, one in typer.main.get_command(cli.app).commands.items() if name != "bench"}
LINES = [line for lines in EXAMPLES.values() for line in lines]


def words(line: str) -> list[str]:
    program, *rest = shlex.split(line.split(" > ")[0])
    assert program == "./dovrel"
    return rest


def help_of(*arguments: str) -> str:
    result = CliRunner().invoke(cli.app, [*arguments, "--help"], prog_name="./dovrel", env={"COLUMNS": "80"})
    assert result.exit_code == 0
    return result.output


def test_every_command_is_listed_with_a_whole_sentence():
    listed = re.findall(r"^  ([a-z-]+) +(.+)$", help_of().split("Commands:")[1], re.MULTILINE)
    assert [name for name, _ in listed] == [*EXAMPLES, "bench"]
    assert all(said.endswith(".") and not said.endswith("...") for _, said in listed)


@pytest.mark.parametrize("name", COMMANDS)
def test_a_commands_help_names_the_program_every_argument_and_its_examples(name):
    text = help_of(name)
    assert text.startswith(f"Usage: ./dovrel {name} ")
    assert all(line in text for line in EXAMPLES[name])
    for one in COMMANDS[name].params:
        assert getattr(one, "help", None), f"{name}: {one.name} has no help"


@pytest.mark.parametrize("line", LINES)
def test_an_example_can_be_parsed_and_its_files_are_there(line):
    name, *given = words(line)
    COMMANDS[name].make_context(name, [*given])
    clips = [word for word in given if word.startswith("src/")]
    assert all((ROOT / clip).is_file() for clip in clips)


@pytest.mark.parametrize("name", ["measure", "export"])
def test_examples_work_when_pasted_one_after_another(name, tmp_path, monkeypatch):
    (tmp_path / "src").symlink_to(ROOT / "src")
    monkeypatch.chdir(tmp_path)
    for line in EXAMPLES[name]:
        result = CliRunner().invoke(cli.app, words(line))
        assert result.exit_code == 0, result.output
    written = [word for line in EXAMPLES[name] for word in words(line) if re.search(r"^[a-z]+\.(cdl|png|json)$", word)]
    assert all((tmp_path / file).stat().st_size > 100 for file in written)
    assert bool(written) == (name != "measure")
