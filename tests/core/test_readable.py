"""What counts as readable, in each character set; what no set makes readable: noise, and a format that is another."""

from __future__ import annotations

import random

import pytest

from ordolex.core.advice.causes import causes
from ordolex.core.advice.next_step import Advice, advise
from ordolex.core.line.settings import LineSettings
from ordolex.core.link.judge import Judge
from ordolex.core.link.ladder import Rung
from ordolex.core.link.signs import Signs
from ordolex.core.link.state import LinkState
from ordolex.core.text.charsets import CHARSETS

TEXTS = (
    "Füllstand Becken 3: 7,62 m\r\n",
    "Température de l'eau 11,5 °C, débit 42 m³/h\r\n",
    "Nivå i kar 12 över gräns\r\n",
    "Ñandú 4: señal dañada, ¿reintentar?\r\n",
    "Уровень в бассейне 3: 7,62 м, ОШИБКА датчика\r\n",
)
SINGLE = [name for name in CHARSETS if name != "UTF-8"]


def judged(data: bytes, charset: str, size: int = 7) -> Judge:
    judge = Judge(charset)
    for at in range(0, len(data), size):
        judge.receive(data[at : at + size], None)
    return judge


@pytest.mark.parametrize("charset", CHARSETS)
@pytest.mark.parametrize("text", TEXTS)
def test_a_text_is_clean_in_its_own_character_set(text: str, charset: str) -> None:
    data = text.encode(CHARSETS[charset], "ignore")
    for chosen in (charset, "UTF-8"):  # the latter is what holds until somebody chooses
        assert judged(data, chosen).clean and judged(data * 20, chosen).clean
        assert Signs(data, charset=chosen).readable == 1.0


@pytest.mark.parametrize("charset", CHARSETS)
def test_noise_is_clean_in_no_character_set(charset: str) -> None:
    seeded = random.Random(8)
    for _ in range(300):
        judge = Judge(charset)
        for _ in range(40):
            judge.receive(seeded.randbytes(seeded.randint(1, 9)), None)
            assert not judge.clean
        assert judge.bad and Signs(seeded.randbytes(300), charset=charset).readable < 0.6


@pytest.mark.parametrize("charset", CHARSETS)
@pytest.mark.parametrize("odd", [False, True])
def test_seven_bits_with_parity_are_clean_in_no_character_set(charset: str, odd: bool) -> None:
    """Half of such characters have their eighth bit set, and nearly each of them is a letter somewhere."""
    for text in (b"WATER 9.42 mg/l\r\n", b"pump 4 on, 35.0 Hz\n", b"+0012.5 -3.75 OK\r"):
        data = bytes(byte | 0x80 if (byte.bit_count() & 1) != odd else byte for byte in text * 12)
        assert judged(data, charset).bad and not judged(data, charset).clean
        (likeliest, *_) = causes(Signs(data, charset=charset))
        assert likeliest.name == "parity"


def test_the_frames_of_a_screen_are_text_where_the_set_has_them() -> None:
    data = ("╔" + "═" * 40 + "╗\r\n║ Feeder 4, ready" + " " * 24 + "║\r\n").encode("cp437")
    assert judged(data * 3, "CP437", 50).clean and judged(data * 3, "Latin-1", 50).bad


def test_a_link_is_clear_in_a_character_set_that_nobody_chose_and_it_says_that_one_is_to_be_chosen() -> None:
    state = LinkState(LineSettings(9600))
    state.seen(0.0)
    state.opened(1.0)
    line = "Zulauf Süd: 8,4 °C\r\n".encode("cp850")
    state.heard(line, None, 2.0)
    assert state.rung is Rung.CLEAR and not state.evidence().bad_lately
    assert causes(state.evidence().signs)[0].name == "charset"
    state.reads_in("CP850")
    state.heard(line, None, 3.0)
    assert state.rung is Rung.CLEAR and "charset" not in {cause.name for cause in causes(state.evidence().signs)}
    state.retuned(LineSettings(4800), 4.0)
    state.heard(line, None, 5.0)
    assert state.rung is Rung.CLEAR
    state.reads_in("no such set")
    state.heard(line, None, 6.0)
    assert state.rung is Rung.CLEAR and state.charset == ""


def advised(answer: bytes, without: str) -> Advice:
    """What is said of an answer that came without line errors being told."""
    state = LinkState(LineSettings(9600), without)
    state.seen(0.0)
    state.opened(1.0)
    state.sent(b"L?\n", 1.5)
    state.heard(answer, None, 2.0)
    advice = advise(state.evidence(), 3.0)
    assert advice is not None
    return advice


@pytest.mark.parametrize("without", ["", "raw TCP"])
def test_of_a_letter_of_another_set_the_set_is_named_and_neither_the_rate_nor_the_way(without: str) -> None:
    data = "Füllstand Becken 3: 7,62 m\r\n".encode("latin-1")
    assert not advised(data, without).causes
    likeliest = causes(Signs(data))[0]
    assert "character set" in likeliest.words and "Ctrl+B" in likeliest.test


@pytest.mark.parametrize("without", ["", "raw TCP"])
def test_a_shift_among_bytes_that_are_no_text_is_a_byte_like_any_other(without: str) -> None:
    """Such as the first bytes of a server that speaks RFC 2217."""
    negotiated = bytes.fromhex("fffb2c fffd00 fffb00 fffa2c65 00 fff0 fffa2c66 0e fff0 fffb03 780d0a")
    advice = advised(negotiated, without)
    assert not any("character set" in cause for cause in advice.causes)
    assert bool(without) is ("rfc2217://" in advice.test)
