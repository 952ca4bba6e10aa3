"""A secret that was typed never comes out of the withholder again, however a device gives it back."""

from itertools import pairwise

import pytest
from hypothesis import assume, given
from hypothesis import strategies as st

from ordolex.core.link.secrets import Withholder, asks_for_secret


@pytest.mark.parametrize("line", [b"Password: ", b"feeder 3\r\nEnter passcode> ", b"PIN?", b"Access code (4 digits): "])
def test_prompts_that_ask_for_a_secret_are_known(line: bytes) -> None:
    assert asks_for_secret(line)


@pytest.mark.parametrize(
    "line", [b"login: ", b"Password changed.\r\nmenu> ", b"spinning: ", b"password is wrong\r\n", b""]
)
def test_other_prompts_are_not_taken_for_one(line: bytes) -> None:
    assert not asks_for_secret(line)


def received(held: Withholder, pieces: list[bytes], at: float = 1.0) -> tuple[bytes, int]:
    out, withheld = b"", 0
    for piece in pieces:
        at += 0.01
        for one in held.receive(piece, at):
            out, withheld = out + one.data, withheld + one.withheld
    for one in held.flush(at + 9):
        out, withheld = out + one.data, withheld + one.withheld
    return out, withheld


def test_an_echo_is_withheld_and_what_follows_is_whole() -> None:
    held = Withholder()
    held.typed(b"t7ouT", 1.0, whole=True)
    assert received(held, [b"t7", b"ouT\r\nWelcome, operator\r\n"]) == (b"\r\nWelcome, operator\r\n", 5)
    assert received(held, [b"the code t7ouT is weak"]) == (b"the code  is weak", 5)


def test_typed_key_by_key_it_is_withheld_key_by_key_and_as_a_whole() -> None:
    held, seen = Withholder(), b""
    for at, key in enumerate(b"pond9"):
        held.typed(bytes([key]), float(at), whole=key == ord("9"))
        seen += received(held, [bytes([key])], at + 0.1)[0]
    assert seen == b""
    assert received(held, [b"you typed po", b"nd9!"], 60.0) == (b"you typed !", 5)


def test_without_an_echo_letters_of_the_reply_stay() -> None:
    held = Withholder()
    held.typed(b"we1r", 1.0, whole=True)
    assert received(held, [b"\r\nwelcome we are open\r\n"]) == (b"\r\nwelcome we are open\r\n", 0)
    assert received(held, [b"stars: ****\r\n"])[0] == b"stars: ****\r\n"


@given(secret=st.binary(min_size=4, max_size=12), before=st.binary(max_size=30), after=st.binary(max_size=30),
       cuts=st.lists(st.integers(0, 80), max_size=6))  # fmt: skip
def test_no_way_of_cutting_what_comes_lets_the_secret_through(
    secret: bytes, before: bytes, after: bytes, cuts: list[int]
) -> None:
    assume(secret not in before + after)  # what stands on both sides of the gap was not typed as a secret
    held = Withholder()
    held.typed(secret, 1.0, whole=True)
    text = before + secret + after
    edges = sorted({0, len(text), *(cut for cut in cuts if cut < len(text))})
    shown, withheld = received(held, [text[a:b] for a, b in pairwise(edges)])
    assert secret not in shown and len(shown) + withheld == len(text)
