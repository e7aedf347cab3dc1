"""Words for people: counts, and what long work is at."""

import re
from pathlib import Path

import click
import pytest

import silhueta
from silhueta.cli import app
from silhueta.core.tidy.offers.kinds import KINDS
from silhueta.core.wording import counted, stage_words


@pytest.mark.parametrize(
    ("count", "said"), [(0, "0 loops"), (1, "1 loop"), (2, "2 loops"), (1200, "1,200 loops")]
)
def test_one_thing_is_no_several(count, said):
    assert counted(count, "loop") == said
    assert counted(count, "loop", "loopen") == (said if count == 1 else said[:-1] + "en")


def test_every_stage_of_a_computation_has_words_of_its_own():
    named = {kind.key for kind in KINDS} if hasattr(KINDS[0], "key") else set(KINDS)
    for file in Path(silhueta.__file__).parent.rglob("*.py"):
        named |= set(re.findall(r"\bstage\(\"([^\"]+)\"\)", file.read_text()))
    assert len(named) > 20
    assert [stage for stage in sorted(named) if stage_words(stage) == stage.capitalize()] == []


def test_every_option_of_the_command_line_has_help():
    bare = [
        (name, option.opts)
        for name, command in app.commands.items()
        for option in command.params
        if isinstance(option, click.Option) and not option.help
    ]
    assert bare == []
