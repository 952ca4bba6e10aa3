"""The reference of round files names every key, and its example is a round."""

from __future__ import annotations

import re
from pathlib import Path

import pytest

from ordolex.core.sheet.fields import ValueField
from ordolex.core.watch.round import Alarm, Kept, Round, RoundItem, RoundLink, read_round

DOCS = Path(__file__).parents[2] / "docs"


@pytest.mark.parametrize("part", [Round, RoundLink, RoundItem, Alarm, Kept, ValueField])
def test_every_key_of_a_round_stands_in_its_reference(part: type) -> None:
    text = (DOCS / "watch.md").read_text()
    named = set(re.findall(r"`(\w+)`", text)) | set(re.findall(r"\[\[?(\w+)\]?\]", text))
    assert set(part.model_fields) <= named  # type: ignore[attr-defined]


def test_the_example_of_the_reference_is_a_round() -> None:
    example = re.findall(r"```toml\n(.*?)```", (DOCS / "watch.md").read_text(), re.S)[0]
    assert read_round(example, "example").item[0].low == 6.0
