"""The device's screen: codes are obeyed, and whatever comes, only printable cells come out."""

from hypothesis import example, given, settings
from hypothesis import strategies as st
from wcwidth import wcswidth

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


def test_what_a_full_screen_program_covered_comes_back_when_it_ends() -> None:
    before = b"login: fish\r\n\x1b[1m$\x1b[0m top"
    for enter, leave in ((b"\x1b[?1049h", b"\x1b[?1049l"), (b"\x1b[?47h", b"\x1b[?47l")):
        made = screen(before + enter + b"\x1b[H\x1b[7mload 0.3\x1b[0m\x1b[24;1Hq quits")
        assert (
            made.text()[0].startswith("load 0.3") and made.text()[23] == "q quits" and "login: fish" not in made.text()
        )
        made.feed(leave)
        assert made.text()[:2] == ["login: fish", "$ top"] and made.text()[23] == ""
        assert made.line(1)[0] == Run("$", bold=True)
    made = screen(before + b"\x1b[?1049h" + b"\x1b[?1049h\x1b[H\x1b[2Jx" + b"\x1b[?1049l" + b"\x1b[?1049l")
    assert made.text()[1] == "$ top" and made.cursor == (5, 1)


def test_nothing_stays_of_what_came_at_a_wrong_rate() -> None:
    made = screen(b"\xf3\x1b\x9b\x00", b"q\xfe")
    made.feed(b"\x1bz", with_errors=True)
    made.retuned()
    made.feed(b"\xc6\x83", with_errors=True)
    made.feed("Weir box, 12 °C\r\n".encode())
    made.feed(b"1 level\r\n2 gate")
    assert made.text()[:3] == ["Weir box, 12 °C", "1 level", "2 gate"]
    made.feed(b"\r\n3 alarms, 4 network, 5 logger, 6 clock, 7 users, 8 save\r\n")
    made.feed(b"\xff\xfe", with_errors=True)  # noise at the right rate, later on
    made.feed(b"9 leave")
    assert made.text()[0] == "Weir box, 12 °C" and "9 leave" in made.text()[4]


def test_clean_text_outlives_a_change_of_settings() -> None:
    made = screen(b"rate is 9600, changing \xc3", b"\xa9t\xc3\xa9\r\n")
    made.retuned()
    made.feed(b"rate is 19200")
    assert made.text()[:2] == ["rate is 9600, changing été", "rate is 19200"]


def test_what_a_device_asks_about_the_terminal_is_answered_once() -> None:
    made = screen(b"\x1b[3;5H\x1b[6n\x1b[c")
    assert made.take_answers() == b"\x1b[3;5R\x1b[?6c" and made.take_answers() == b""
    made.feed(b"\x1b[6n" * 10_000)
    assert len(made.take_answers()) <= 256


def test_letters_of_two_cells_have_two() -> None:
    made = screen("水温 12\r\n".encode(), b"\x1b[3;79H" + "水".encode())
    assert made.text()[0] == "水温 12"
    made.feed(b"\x1b[1;2Hx")  # over the second cell of the first letter
    assert wcswidth(made.line(0)[0].text) == 80 and made.text()[0] == "□x温 12"


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
            assert wcswidth(text) == columns and text.isprintable()
        assert made.cursor is None or made.cursor[0] < columns
        made.reset()
