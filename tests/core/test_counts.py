import pytest

from ordolex.core.text.counts import counted


@pytest.mark.parametrize(
    ("count", "words"), [(0, "0 entries"), (1, "1 entry"), (2, "2 entries"), (11, "11 entries"), (1.0, "1.0 entry")]
)
def test_one_is_said_as_one(count: float, words: str) -> None:
    assert counted(count, "entry", "entries") == words
    assert counted(count, "byte") == words.replace("entries", "bytes").replace("entry", "byte")
