import io
import itertools
import unicodedata
from pathlib import Path

import pytest
from hypothesis import example, given
from hypothesis import strategies as st

from ordolex.core.port.endpoint import EndpointError, read_endpoint
from ordolex.core.text import nmea0183, plain_signs
from ordolex.core.text.charsets import CHARSETS, surely_read, text_of
from ordolex.core.text.escapes import ASCII_NAMES, EscapeError, named, to_bytes, typed
from ordolex.core.text.lines import LineCutter
from ordolex.core.text.plain_signs import plain
from ordolex.core.text.visible import visible, visible_text

HOSTILE = b"\x1b]0;title\x07\x9b31m\xe2\x80\xae\x00\r\n\xff\xc3\xa9\xf0\x9f\x98\x80\x7f"


@given(st.binary(max_size=200), st.sampled_from(list(CHARSETS)))
def test_nothing_that_leaves_visible_can_command_a_terminal(data: bytes, charset: str) -> None:
    shown = visible(data, charset)
    assert all(unicodedata.category(c) not in ("Cc", "Cf", "Cs", "Zl", "Zp", "Mn") for c in shown)
    assert all(unicodedata.east_asian_width(c) not in ("W", "F") for c in shown)
    shown.encode("utf-8")


@given(st.text(max_size=100))
def test_text_from_outside_is_made_safe_the_same_way(text: str) -> None:
    assert all(unicodedata.category(c) not in ("Cc", "Cf", "Cs") for c in visible_text(text))
    names = sum(len(f"<{ASCII_NAMES[ord(c)]}>") - 1 for c in text if ord(c) < 32 and visible_text(c)[0] == "<")
    names += 4 * text.count("\x7f")
    assert len(visible_text(text)) == len(text) + names  # else one cell a character


def test_hostile_bytes_are_shown_as_what_they_are() -> None:
    shown = visible(HOSTILE)
    assert "title" in shown and "\x1b" not in shown and "é" in shown
    assert visible(b"9.42 mg/l") == "9.42 mg/l"
    assert visible(b"11 \xc2\xb0C") == "11 °C"
    assert visible(b"\xff") == "×"
    assert visible(b"\xc4\x82\xdb\r", "CP437") == "─é█↵"


@pytest.mark.parametrize(
    ("data", "text"),
    [
        ("11 °C, größer".encode(), "11 °C, größer"),
        ("11 °C, größer".encode("latin-1"), "11 °C, größer"),
        ("°C".encode() + b" \xb0C \x85 " + "°".encode()[:1], "°C °C \N{REPLACEMENT CHARACTER} Â"),
        ("°".encode()[1:] + b"C\r\n", "°C\r\n"),
    ],
)
def test_what_a_device_says_is_read_as_a_person_would(data: bytes, text: str) -> None:
    assert text_of(data) == text


def test_a_character_that_was_guessed_is_never_taken_for_the_bytes_that_came() -> None:
    assert surely_read("größer", "ist größer".encode()) == "größer"
    assert (
        surely_read("größer", "ist größer".encode("latin-1"))
        == "gr\N{REPLACEMENT CHARACTER}\N{REPLACEMENT CHARACTER}er"
    )
    assert surely_read("11", b"11 \xb0C") == "11"


@given(st.binary(max_size=40) | st.lists(st.sampled_from([b"<", b"CR", b">", b"\\", b"\r", b"xon"])).map(b"".join))
def test_bytes_that_are_written_out_are_the_same_bytes_when_typed(data: bytes) -> None:
    assert to_bytes(named(data)) == data


@pytest.mark.parametrize(
    ("text", "data"),
    [
        (r"*IDN?\n", b"*IDN?\n"),
        (r"\x02A\x03", b"\x02A\x03"),
        ("<STX>A<ETX><CR><LF>", b"\x02A\x03\r\n"),
        (r"a\\b", b"a\\b"),
        ("<b>5 < 6", b"<b>5 < 6"),
        (r"\e[0m\t\0", b"\x1b[0m\t\0"),
        ("<esc>°", b"\x1b\xc2\xb0"),
    ],
)
def test_control_bytes_are_written_by_code_or_name(text: str, data: bytes) -> None:
    assert to_bytes(text) == data


@pytest.mark.parametrize("text", ["\\", r"\q", r"\x1", r"\xzz"])
def test_an_unfinished_escape_is_refused(text: str) -> None:
    with pytest.raises(EscapeError, match="is no control byte"):
        to_bytes(text)


@given(st.binary(max_size=60))
def test_named_bytes_read_back(data: bytes) -> None:
    text = named(data)
    assert text.isprintable()
    # a name in the data itself, such as "<CR>" typed as five letters, reads back as that control byte
    if b"<" not in data:
        assert to_bytes(text) == data


@given(st.binary(max_size=40), st.sampled_from(sorted(CHARSETS)))
@example("für <CR> 5 °C\r".encode("cp850"), "CP850")
@example("f\\ür".encode() + b"\xc3", "UTF-8")
def test_what_was_typed_is_given_back_as_the_same_bytes(data: bytes, charset: str) -> None:
    text = typed(data, charset)
    assert text.isprintable() and to_bytes(text, charset) == data


def test_letters_are_given_back_as_themselves() -> None:
    assert typed("Füllstand\r".encode("latin-1"), "Latin-1") == "Füllstand<CR>"
    assert typed("Füllstand".encode("latin-1"), "UTF-8") == "F\\xfcllstand"


TALK = b"one\r\ntwo\nthree\rfour\r\n\r\nlast"


@given(st.lists(st.integers(0, len(TALK)), max_size=10))
def test_any_split_gives_the_same_lines(cuts: list[int]) -> None:
    places = [0, *sorted(cuts), len(TALK)]
    cutter = LineCutter()
    lines = [line.data for a, b in itertools.pairwise(places) for line in cutter.receive(TALK[a:b], 1.0)]
    lines += [line.data for line in cutter.flush()]
    assert lines == [b"one\r\n", b"two\n", b"three\r", b"four\r\n", b"\r\n", b"last"]


@given(st.lists(st.binary(max_size=50), max_size=20))
def test_lines_lose_nothing(pieces: list[bytes]) -> None:
    cutter = LineCutter(max_line=16)
    lines = [line for piece in pieces for line in cutter.receive(piece, 0.0)] + cutter.flush()
    strip = bytes.maketrans(b"", b"")
    assert b"".join(line.body for line in lines) == b"".join(pieces).translate(strip, b"\r\n")
    assert b"".join(line.data for line in lines) == b"".join(pieces)
    assert all(len(line.body) <= 16 for line in lines)


def test_a_megabyte_without_a_line_end_is_cut() -> None:
    cutter = LineCutter()
    lines = cutter.receive(b"x" * 1_000_000, 0.0)
    assert len(lines) == 488 and len(cutter.pending) < 2048


def test_a_line_has_the_times_of_its_own_bytes() -> None:
    cutter = LineCutter()
    assert cutter.receive(b"ab", 1.0) == []
    (line,) = cutter.receive(b"c\nd", 2.0)
    assert (line.data, line.first_s, line.last_s) == (b"abc\n", 1.0, 2.0)
    (line,) = cutter.receive(b"\n", 3.0)
    assert (line.first_s, line.last_s) == (2.0, 3.0)


@pytest.mark.parametrize(
    "sentence",
    [  # checksums worked out by hand from the exclusive or of the characters
        b"$YXXDR,C,9.4,C,T1*09",
        b"$GPGLL,5300.97914,N,00259.98174,E,125926,A*28",
    ],
)
def test_nmea_checksums(sentence: bytes) -> None:
    body, digits = sentence[1:-3], sentence[-2:]
    assert nmea0183.checksum(body) == int(digits, 16)
    assert nmea0183.verdict(sentence) is True
    assert nmea0183.verdict(sentence[:-1] + b"F") is False
    assert nmea0183.sentence(body) == sentence + b"\r\n"
    assert nmea0183.verdict(b"no sentence") is None


@pytest.mark.parametrize(
    ("text", "kind", "again"),
    [
        ("/dev/ttyUSB0", "serial", "/dev/ttyUSB0"),
        ("COM12", "serial", "COM12"),
        ("rfc2217://10.0.0.5:4001", "rfc2217", "rfc2217://10.0.0.5:4001"),
        (" tcp://[::1]:23 ", "tcp", "tcp://[::1]:23"),
    ],
)
def test_endpoints_are_read(text: str, kind: str, again: str) -> None:
    assert (read_endpoint(text).kind, read_endpoint(text).text) == (kind, again)


@pytest.mark.parametrize(
    "text", ["", "two words", "http://x:1", "tcp://host", "tcp://:5", "rfc2217://h:99999", "a\x1bb"]
)
def test_what_is_no_endpoint_is_refused_with_an_example(text: str) -> None:
    with pytest.raises(EndpointError, match=r"://|/dev/"):
        read_endpoint(text)


def test_every_sign_of_ours_is_written_in_ascii_where_a_terminal_has_no_other() -> None:
    """All that stands in the program's own text, but for letters of other alphabets, which stand as their codes."""
    own = set("".join(path.read_text() for path in (Path(__file__).parents[2] / "src" / "ordolex").rglob("*.py")))
    signs = {sign for sign in own if not sign.isascii() and not sign.isalpha()}
    assert {"●", "→", "▸", "─"} <= signs
    unread = {sign for sign in signs if "\\u" in (done := plain(sign)) or not done.isascii() or not done}
    assert unread <= set("▂▃▄▅▆▇▁▔")
    assert plain("● Proven · 19200 8E1 → 7.2 mg/l, Rücklauf") == "* Proven - 19200 8E1 -> 7.2 mg/l, Rucklauf"
    with io.TextIOWrapper(io.BytesIO(), "ascii", errors=plain_signs.__name__) as file:
        file.write("● 密")
        file.flush()
        assert file.buffer.getvalue() == b"* \\u5bc6"
