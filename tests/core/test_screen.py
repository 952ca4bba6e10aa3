"""The device's screen: codes are obeyed, and whatever comes, only printable cells come out."""

from hypothesis import example, given, settings
from hypothesis import strategies as st

from ordolex.core.talk.screen import DeviceScreen, Run


def screen(*pieces: bytes, charset: str = "UTF-8") -> DeviceScreen:
    made = DeviceScreen(charset)
    for piece in pieces:
        made.feed(piece)
    return made


def test_the_cursor_is_addressed_and_colours_are_kept() -> None:
    made = screen(b"\x1b[2J\x1b[H\x1b[1;33mFeeder\x1b[0m", b"\x1b[5;10Hchoice: ")
    assert made.text()[0] == "Feeder" and made.text()[4] == " " * 9 + "choice:"
    assert made.line(0)[0] == Run("Feeder", "brown", bold=True)
    assert made.cursor == (17, 4)


def test_a_code_that_changes_everything_is_named_by_the_reset() -> None:
    made = screen(b"\x1b(0lqqk\r\nplain")
    assert made.text()[0] == "┌──┐" and made.text()[1] != "plain"
    assert "ESC ( 0" in made.reset()
    made.feed(b"plain")
    assert made.text()[0] == "plain" and made.reset() == ""


def test_wide_screens_and_character_sets() -> None:
    made = screen(b"\x1b[?3h" + b"x" * 100)
    assert made.size[0] == 132 and made.text()[0] == "x" * 100
    assert screen(b"\xc4\xb3\xdb", charset="CP437").text()[0] == "─│█"
    assert screen("21,5 °C".encode("latin-1"), charset="Latin-1").text()[0] == "21,5 °C"


def test_of_a_flood_the_last_screen_is_right() -> None:
    made = screen(*[b"row %06d\r\n" % n for n in range(50_000)])
    assert made.text()[-2] == "row 049999"


_CODES = st.sampled_from(
    [b"\x1b[", b"\x1b]0;", b"\x1b]52;c;", b"\x1bP", b"\x9b", b"?", b";", b"h", b"r", b"J", b"\x07"]
)


@settings(max_examples=200, deadline=None)
@given(st.lists(st.one_of(st.binary(max_size=20), _CODES, st.integers(0, 10**9).map(lambda n: str(n).encode()))))
@example([b"\x1b[99999999999999999999;1H"])
@example([b"\x1b[1;2", b"\x18", b"\x1b[?", b"999999", b"h"])
def test_whatever_comes_only_printable_cells_come_out(pieces: list[bytes]) -> None:
    for charset in ("UTF-8", "CP437"):
        made = screen(*pieces, charset=charset)
        columns, lines = made.size
        for number in range(lines):
            text = "".join(run.text for run in made.line(number))
            assert len(text) == columns and text.isprintable()
        assert made.cursor is None or made.cursor[0] < columns
        made.reset()
