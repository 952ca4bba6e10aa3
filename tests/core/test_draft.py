"""A sheet made from a conversation: what the answers have in common, and that the sheet reads its own answers."""

from __future__ import annotations

import re

from hypothesis import given, settings
from hypothesis import strategies as st

from ordolex.core.link.question import Verdict
from ordolex.core.sheet import read_sheet
from ordolex.core.sheet.draft import Asked, asked_in, draft, pattern_of
from ordolex.core.sheet.fields import ValueField


def answered(question: bytes, answer: bytes, **more: object) -> dict[str, object]:
    detail = {"question_hex": question.hex(), "answer_hex": answer.hex(), "last_ms": 120.0, "verdict": "unjudged",
              "line_errors": 0}  # fmt: skip
    return detail | more


def test_a_conversation_becomes_a_sheet_that_judges_the_next_answers() -> None:
    events = [
        answered(b"A\r", b"7.12 11.4 -0.31\r\n"), answered(b"A\r", b"7.08 9.9 +0.30\r\n"),
        answered(b"ID?\r", b"PROBE [A] v2\r\n"), answered(b"SET 3\r", b"SET 3\r\n"),
        answered(b"B\r", b"x\xff", line_errors=2), answered(b"C\r", b"no", verdict="wrong"), answered(b"D\r", b""),
    ]  # fmt: skip
    asked = asked_in(events)
    assert [(one.send, len(one.answers)) for one in asked] == [(b"A\r", 2), (b"ID?\r", 1)]  # no echo, nothing spoilt
    text = draft("probe", "water probe", "9600 7E1", "typed", [*asked, Asked(b"A\r", ())])
    sheet = read_sheet(text, "probe.toml")
    one, two, three = sheet.question
    assert (one.name, one.send, one.harmless, sheet.line_end, three.name) == ("A", "A<CR>", False, "CR", "A 2")
    assert one.question().judge(b"6.99 10.0 -0.29\r\n") is Verdict.RIGHT
    assert one.question().judge(b"ERR 7\r\n") is Verdict.WRONG
    assert two.question().judge(b"PROBE [A] v3\r\n") is Verdict.RIGHT


def test_answers_of_different_words_have_no_pattern_and_named_columns_are_kept() -> None:
    assert pattern_of(["ON", "OFF"]) == "" and pattern_of(["1 on", "2 off"]) == "" and pattern_of(["a\nb"]) == ""
    assert re.fullmatch(pattern_of(["-3.5 C"]), "12.1 C"), "it happened to be negative"
    assert not re.fullmatch(pattern_of(["+3.5 C", "-1.2 C"]), "12.1 C"), "it writes the sign each time"
    field = ValueField(name="pH", column=1, unit="")
    sheet = read_sheet(draft("p", "d", "any", "x", [Asked(b"<A\n", ("7.1",), (field,), harmless=True)]), "p.toml")
    assert sheet.question[0].value == [field] and sheet.question[0].question().data == b"<A\n"


@settings(max_examples=80)
@given(
    st.lists(
        st.text(st.characters(min_codepoint=32, max_codepoint=255), min_size=1, max_size=40), min_size=1, max_size=3
    )
)
def test_a_pattern_fits_every_answer_that_it_was_made_of(answers: list[str]) -> None:
    pattern = pattern_of(answers)
    assert not pattern or all(re.fullmatch(pattern, answer) for answer in answers)
