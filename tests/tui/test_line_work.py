"""Talk and Keep at work on a made-up port: repeated questions, menus by name, secrets, screens, marks."""

import asyncio
import re
from collections.abc import Callable
from dataclasses import replace
from functools import partial
from pathlib import Path

import pytest
from textual.events import Key, Paste
from textual.widgets import Input, Static

from ordolex.core.link.ladder import Rung
from ordolex.core.link.question import Question
from ordolex.core.talk.conversation import Direction
from ordolex.core.talk.screen import DeviceScreen
from ordolex.core.text.visible import without_codes
from ordolex.core.watch.round import as_toml
from ordolex.io.system.faults import BookFault, Fault
from ordolex.io.transport.twins import MemoryTransport
from ordolex.session.stands_at import prompt_left
from ordolex.tui.desks.talk.masking import Masking
from ordolex.tui.readings import rates_reading
from ordolex.tui.widgets.entry_line import EntryLine
from ordolex.tui.widgets.frame import HeadLine
from ordolex.tui.widgets.key_pad import KeyPad
from ordolex.tui.widgets.prompts import Picture
from ordolex.tui.widgets.row_view import RowView
from ordolex.tui.widgets.screen_view import ScreenView
from tests.tui.test_desks import Site, at_site


def answering(answers: dict[bytes, bytes], sent: list[bytes]) -> Callable[[MemoryTransport, bytes], None]:
    """A device that answers what it knows, and keeps what it gets."""

    def device(port: MemoryTransport, data: bytes) -> None:
        sent.append(data)
        if data in answers:
            port.say(answers[data])

    return device


async def prompt(site: Site, text: str) -> None:
    """Puts a text into the prompt in front and gives it."""
    await site.until(lambda: site.app.screen.query("#line"))
    site.app.screen.query_one("#line", EntryLine).value = text
    before = site.app.screen
    await site.pilot.press("enter")
    await site.until(lambda: site.app.screen is not before)


async def say(site: Site, text: str) -> None:
    site.app.desk.query_one("#say", EntryLine).value = text
    await site.pilot.press("enter")


async def more(site: Site, what: str) -> None:
    await site.pilot.press("ctrl+b")
    await site.pick(f"talk.{what}")


async def test_what_was_asked_last_is_asked_again_and_again_until_it_is_stopped(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    count = 0

    def device(port: MemoryTransport, data: bytes) -> None:
        nonlocal count
        count += data == b"OXY?\n"
        if count % 4:
            port.say(b"9.4 mg/l\n")

    async with at_site(tmp_path, monkeypatch) as site:
        site.device = device
        await site.open_port()
        await more(site, "repeat")
        await prompt(site, "OXY?\\n")
        await prompt(site, "50")
        await prompt(site, "oxygen")
        await prompt(site, "by hand")
        await site.until(lambda: site.app.desk.word == "Watch")
        watches = site.app.session.watches
        await site.until(lambda: watches.watch is not None and watches.watch.states["oxygen"].count >= 3, 20)
        await site.until(lambda: watches.watch is not None and watches.watch.states["oxygen"].missing >= 1, 20)
        await site.pilot.press("enter")
        await site.pick("yes")
        await site.until(lambda: watches.watch is None)
        stopped = count
        await asyncio.sleep(0.3)
        assert count == stopped


@pytest.mark.parametrize(
    ("answer", "names", "values"), [("one", "oxygen", [7.62]), ("two", "unit, oxygen", [7.0, 62.0])]
)
async def test_what_a_comma_is_in_an_answer_is_asked_before_values_are_made_of_it(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch, answer: str, names: str, values: list[float]
) -> None:
    async with at_site(tmp_path, monkeypatch) as site:
        site.device = lambda port, data: port.say(b"7,62 mg/l\r\n")
        await site.open_port()
        await more(site, "repeat")
        await prompt(site, "OXY?\\n")
        await prompt(site, "50")
        await site.pick(answer)
        await prompt(site, names)
        await prompt(site, "by hand")
        watches = site.app.session.watches
        await site.until(lambda: watches.watch is not None and all(s.count for s in watches.watch.states.values()))
        assert watches.watch is not None and [state.newest for state in watches.watch.states.values()] == values
        assert ("comma = true" in as_toml(watches.watch.round)) == (answer == "one")


async def test_a_menu_is_picked_by_name_and_the_view_cleared_and_searched(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    sent: list[bytes] = []

    def device(port: MemoryTransport, data: bytes) -> None:
        sent.append(data)
        port.say(b"0 pump\r\n1 raceway\r\nversion 2.06\r\nchoose: " if data == b"menu\n" else b"ok\r\n")

    async with at_site(tmp_path, monkeypatch) as site:
        site.device = device
        await site.open_port()
        await say(site, "menu")
        await site.until(lambda: "choose:" in site.rows())
        await more(site, "pick")
        await site.pick("1")
        await site.until(lambda: sent[-1] == b"1\n")
        await more(site, "facts")
        await site.pick("all")
        await site.until(lambda: "version 2.06, from: version 2.06" in site.rows())
        await more(site, "search")
        await prompt(site, "RACEWAY")
        await site.until(lambda: "goes further up" in site.said())
        await more(site, "clear")
        await site.until(lambda: "pump" not in site.rows())
        assert site.book.reader.totals()[1] > 40, "the record stays"


async def test_at_a_prompt_for_a_secret_nothing_of_it_is_shown_or_kept(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    sent: list[bytes] = []

    def device(port: MemoryTransport, data: bytes) -> None:
        sent.append(data)
        if data == b"login\n":
            port.say(b"Password: ")
        elif data == b"\r" or data.endswith(b"\n"):
            port.say(b"\r\nwelcome\r\n")
        else:
            port.say(data)  # this one echoes secrets

    async with at_site(tmp_path, monkeypatch) as site:
        site.device = device
        await site.open_port()
        await say(site, "login")
        await site.until(lambda: site.app.desk.query_one("#say", Input).password)
        await say(site, "tr\\out9")
        await site.until(lambda: "welcome" in site.rows())
        assert b"tr\\out9" in sent, "a backslash is a character of a secret, not an escape"
        assert "out9" not in site.rows() and "bytes withheld" in site.rows()
        assert not site.app.desk.query_one("#say", Input).password
        assert "tr\\out9" not in site.app.session.talks.of(site.app.session.links[0]).history
        # a secret that is half typed does not come to light when the device goes on by itself
        await say(site, "login")
        await site.until(lambda: site.app.desk.query_one("#say", Input).password)
        await site.pilot.press("s", "3", "c")
        site.twins["/dev/made-up"].say(b"\r\ntimed out\r\n\r\nready\r\n1\r\n2\r\n3\r\nlogin: ")
        await site.until(lambda: not site.app.desk.query_one("#say", Input).password)
        assert site.app.desk.query_one("#say", Input).value == ""
        # key by key, after a late line that comes in the middle of the prompt
        await say(site, "login")
        await site.until(lambda: site.app.desk.query_one("#say", Input).password)
        site.twins["/dev/made-up"].say(b"\r\nhopper low\r\n")
        await site.until(lambda: "hopper low" in site.rows())
        await site.pilot.press("ctrl+z")
        await site.until(lambda: site.app.desk.query_one(KeyPad).has_focus)
        await site.pilot.press("p", "o", "n", "d", "7", "enter")
        await site.until(lambda: sent[-1] in (b"\n", b"\r"))
        rows = site.app.session.talks.of(site.app.session.links[0]).rows
        await site.until(lambda: sum("welcome" in row.shown for row in rows) == 2)
        for path in tmp_path.iterdir():
            assert b"out9" not in path.read_bytes() and b"pond7" not in path.read_bytes()
        await site.pilot.press("f5")
        await site.until(lambda: not site.app.desk.query_one(KeyPad).display)


@pytest.mark.parametrize("asks", [b"Kennwort: ", b"\x1b[1mPIN:\x1b[0m ", b"Enter the network key\r\n> "])
async def test_a_secret_is_asked_for_though_an_alarm_ends_the_line_of_its_prompt_at_once(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch, asks: bytes
) -> None:
    async with at_site(tmp_path, monkeypatch) as site:

        def answers(port: MemoryTransport, data: bytes) -> None:
            port.say(asks if data == b"login\n" else b"\r\nPassword:\r\n  at least 8 letters\r\n")
            if data == b"login\n":
                port.say(b"\r\n* feeder 2: hopper low\r\n")

        site.device = answers
        await site.open_port()
        await say(site, "login")
        await site.until(lambda: "hopper low" in site.rows())
        await site.until(lambda: site.app.desk.query_one("#say", Input).password)
        await say(site, "tr0ut-pond")
        # a heading of an answer is no prompt
        await site.until(lambda: "at least 8" in site.rows())
        await site.until(lambda: not site.app.desk.query_one("#say", Input).password)
        for path in tmp_path.iterdir():
            assert b"tr0ut-pond" not in path.read_bytes()


@pytest.mark.parametrize("asks", [b"Password: ", b"Enter the network key\r\n> "], ids=["itself", "line above"])
async def test_a_secret_is_asked_for_still_when_an_alarm_came_many_times(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch, asks: bytes
) -> None:
    async with at_site(tmp_path, monkeypatch) as site:
        site.device = lambda port, data: port.say(asks if data == b"login\n" else b"\r\nwelcome\r\n")
        await site.open_port()
        await say(site, "login")
        await site.until(lambda: site.app.desk.query_one("#say", Input).password)
        talk = site.app.session.talks.of(site.app.session.links[0])
        for number in range(40):
            site.twins["/dev/made-up"].say(b"\r\n* feeder 2: hopper low, %d kg\r\n" % number)
            await site.until(lambda: any(f"low, {number} kg" in row.shown for row in talk.rows))  # noqa: B023
            await site.pilot.pause()
            assert site.app.desk.query_one("#say", Input).password
        await say(site, "tr0ut-pond")
        await site.until(lambda: "welcome" in site.rows())
        assert prompt_left(talk) == b""
        for path in tmp_path.iterdir():
            assert b"tr0ut-pond" not in path.read_bytes()


@pytest.mark.parametrize("asks", [b"Password: ", b"Bay word, please: "], ids=["known", "said to be one"])
@pytest.mark.parametrize("star", ["*", "•", "-\b*"])
async def test_a_prompt_that_shows_stars_for_what_is_typed_stays_one(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch, star: str, asks: bytes
) -> None:
    sent = bytearray()

    def device(port: MemoryTransport, data: bytes) -> None:
        sent.extend(data)
        port.say(b"\r\nwelcome\r\n> " if data in (b"\r", b"\n") else b"\b \b" if data == b"\x7f" else star.encode())

    async with at_site(tmp_path, monkeypatch) as site:
        site.device = device
        await site.open_port()
        site.twins["/dev/made-up"].say(asks)
        await site.until(lambda: asks.decode().strip() in site.rows())
        pad, line = site.app.desk.query_one(KeyPad), site.app.desk.query_one("#say", EntryLine)
        if not line.password:
            await site.pilot.press("ctrl+x")
        await site.until(lambda: line.password)
        await site.pilot.press("ctrl+z")
        await site.until(lambda: pad.has_focus)
        talk = site.app.session.talks.of(site.app.session.links[0])
        for number, key in enumerate(("p", "o", "n", "d", "backspace", "g", "a", "t", "e"), 1):
            await site.pilot.press(key)
            await site.until(lambda number=number: len(sent) == number)
            await site.until(lambda: talk.conversation.unfinished or talk.rows[-1].data != asks)
            assert "hidden" in str(pad.content), key
        await site.pilot.press("enter")
        await site.until(lambda: "welcome" in site.rows())
        assert bytes(sent[:-1]) == b"pond\x7fgate"
        told = b"".join(row.data for row in talk.rows if row.direction is Direction.SENT)
        assert not told.strip(), told
        await site.until(lambda: "hidden" not in str(pad.content))
        await site.pilot.press("u", "p")
        await site.until(lambda: sent.endswith(b"up"))
        assert "hidden" not in str(pad.content)


async def test_a_pasted_password_is_one_and_a_pasted_word_goes_out_as_its_keys(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    sent = bytearray()

    def device(port: MemoryTransport, data: bytes) -> None:
        sent.extend(data)
        if data == b"login":
            port.say(b"login\r\nPassword: ")
        elif data in (b"\r", b"\n"):
            port.say(b"\r\nwelcome\r\n> ")

    async with at_site(tmp_path, monkeypatch) as site:
        site.device = device
        await site.open_port()
        await site.pilot.press("ctrl+z")
        pad = site.app.desk.query_one(KeyPad)
        await site.until(lambda: pad.has_focus)
        pad.post_message(Paste("login"))
        await site.until(lambda: "hidden" in str(pad.content))
        assert bytes(sent) == b"login", "a word has no line end of its own"
        pad.post_message(Paste("trout-pond-9\nsecond"))
        await site.until(lambda: "nothing was sent; paste one line" in site.said())
        assert bytes(sent) == b"login" and len(site.app.screen_stack) == 1
        pad.post_message(Paste("trout-pond-9\n"))
        await site.until(lambda: sent.endswith(b"trout-pond-9"))
        assert "hidden" in str(pad.content)
        await site.pilot.press("enter")
        await site.until(lambda: "welcome" in site.rows())
        assert sent[:-1] == b"logintrout-pond-9" and sent[-1:] in b"\r\n"
        for path in tmp_path.iterdir():
            assert b"trout-pond" not in path.read_bytes()
        pad.post_message(Paste("one\ntwo"))
        await site.until(lambda: site.app.screen.query(".title"))
        assert "At which pace?" in str(site.app.screen.query_one(".title", Static).content)


async def test_key_by_key_every_key_is_the_device_s(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    sent = bytearray()
    async with at_site(tmp_path, monkeypatch) as site:
        site.device = lambda port, data: sent.extend(data)
        await site.open_port()
        await site.pilot.press("ctrl+z")
        await site.until(lambda: site.app.desk.query_one(KeyPad).has_focus)
        for key in ("ctrl+p", "ctrl+c", "ctrl+r", "ctrl+u", "up", "escape", "backspace", "tab", "x", "é", "enter"):
            await site.pilot.press(key)
        await site.until(lambda: bytes(sent) == b"\x10\x03\x12\x15\x1b[A\x1b\x7f\tx\xc3\xa9\n")
        assert len(site.app.screen_stack) == 1
        await site.pilot.press("f5", "ctrl+r")
        await site.until(lambda: len(site.app.screen_stack) == 2)


async def test_what_the_chosen_character_set_has_not_is_not_sent_as_something_else(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """A question mark in its place, in a password, would be a wrong try."""
    sent: list[bytes] = []
    async with at_site(tmp_path, monkeypatch) as site:
        site.device = answering({b"login\n": b"Password: "}, sent)
        await site.open_port()
        await more(site, "charset")
        await site.pick("Latin-1")
        await site.until(lambda: len(site.app.screen_stack) == 1)
        line = site.app.desk.query_one("#say", EntryLine)
        await say(site, "f\u00fcr")
        await site.until(lambda: sent == [b"f\xfcr\n"])
        rows = site.app.desk.query_one(RowView)  # and is read in it
        await site.until(lambda: any("für" in rows.render_line(y).text for y in range(rows.size.height)))
        await say(site, "5\u20ac")
        await site.until(lambda: "'\u20ac' is not in Latin-1" in site.said())
        assert line.value == "5\u20ac" and "is not in" in str(site.app.query_one("#preview", Static).render())
        line.value = ""
        site.app.post_message(Paste("a\n5\u20ac\n"))
        await site.until(lambda: "Nothing was sent" in site.said())
        await say(site, "login")
        await site.until(lambda: line.password)
        await say(site, "carp\u20ac")
        await site.until(lambda: "what was typed is forgotten" in site.said())
        assert "\u20ac" not in site.said() and line.password and not line.value
        await site.pilot.press("ctrl+z")
        await site.until(lambda: site.app.desk.query_one(KeyPad).has_focus)
        site.app.post_message(Key("euro_sign", "\u20ac"))
        await site.until(lambda: "this key is not in Latin-1" in site.said())
        site.app.query_one(KeyPad).post_message(Paste("carp\u20ac"))
        await site.until(lambda: "a character of it is not" in site.said())
        assert sent == [b"f\xfcr\n", b"login\n"]


async def test_the_chosen_character_set_is_kept_with_the_link_and_the_record_is_read_in_it(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    for visit in range(2):
        async with at_site(tmp_path, monkeypatch) as site:
            site.device = lambda port, data: port.say("Störung gelöscht\r\n".encode("latin-1"))
            await site.open_port()
            if visit == 0:
                await say(site, "?")
                await site.until(lambda: "St×rung gel×scht" in site.rows() and "Clear" in site.lifeline())
                assert site.app.session.view(site.app.session.links[0]).evidence.rung is Rung.CLEAR
                await more(site, "charset")
                await site.pick("Latin-1")
                await site.until(lambda: len(site.app.screen_stack) == 1)
            await say(site, "lösche")
            await site.until(lambda: "lösche" in site.rows() and "Störung gelöscht" in site.rows())
            await site.until(lambda: site.app.session.view(site.app.session.links[0]).evidence.rung is Rung.CLEAR)
            assert bytes(next(iter(site.twins.values())).written).endswith(b"l\xf6sche\n")
            await site.pilot.press("f8")
            await site.until(lambda: site.app.desk.word == "Keep" and site.rows().count("Störung gelöscht") >= 2)
            await site.until(lambda: [one.charset for one in site.book.reader.links()] == ["Latin-1"])


async def test_on_a_small_window_all_rows_of_a_full_screen_program_are_seen(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    def full_screen() -> bytes:
        return b"\x1b[?1049h\x1b[H" + b"\r\n".join(b"row %02d" % n for n in range(24))

    def device(port: MemoryTransport, data: bytes) -> None:
        port.say({b"t": full_screen(), b"q": b"\x1b[?1049l", b"p": b"\r\nPassword: "}.get(data, b""))

    async with at_site(tmp_path, monkeypatch, (80, 24)) as site:
        site.device = device
        await site.open_port()
        await site.pilot.press("ctrl+d", "ctrl+z")
        view = site.app.desk.query_one(ScreenView)
        await site.until(lambda: site.app.desk.query_one(KeyPad).has_focus and view.size.height == 23)
        await site.pilot.press("t")
        await site.until(lambda: view.size.height == 24)
        await site.until(lambda: view.render_line(0).text.startswith("row 00"))
        assert view.render_line(23).text.startswith("row 23")
        await site.pilot.press("q", "p")
        await site.until(lambda: view.size.height == 23 and "hidden" in str(site.app.desk.query_one(KeyPad).content))
        await site.pilot.press("f5")
        await site.until(lambda: view.size.height < 20)


def test_what_was_said_of_a_prompt_ends_with_it() -> None:
    masking = Masking()
    masking.look(b"PIN: ")
    assert masking.on
    masking.turn_over()
    assert not masking.on
    masking.look(b"Password: ")
    assert masking.on
    masking.over()
    masking.look(b"menu> ")
    assert not masking.on


@pytest.mark.parametrize(
    ("asked", "again"),
    [(b"New password: ", b"\x1b[1mVerify: "), (b"PIN? ", b"Again> "), (b"Passwort:", b"Bitte wiederholen:")],
)
def test_what_asks_for_a_secret_once_more_is_a_prompt_for_it(asked: bytes, again: bytes) -> None:
    masking = Masking()
    masking.look(again)
    assert not masking.on, "nothing was given before"
    for prompt in (asked, b"", again):
        masking.look(prompt)
    assert not masking.on, "nothing was given there"
    masking.look(asked)
    masking.over()
    masking.look(b"****")
    masking.look(again)
    assert masking.on
    masking.over()
    masking.look(b"Confirm (y/n): ")
    assert not masking.on
    masking.look(b"menu> ")
    masking.look(again)
    assert not masking.on


def test_a_secret_that_is_half_given_is_one_until_the_device_asks_something_else() -> None:
    masking = Masking()
    masking.look(b"Bay word, please: ")
    masking.turn_over()
    masking.key_given(7)
    for shown in (b"Bay word, please: *", b"*", b"x"):
        masking.look(shown)
        assert masking.on
    masking.look("\x1b[2D••\b".encode(), line_came=True)
    assert masking.on, "stars after a line that came by itself"
    masking.look(b"login: ", line_came=True)
    assert not masking.on and masking.begun is None


@pytest.mark.parametrize("typed", ["38k4", "38,400", "38400 baud"])
async def test_a_new_rate_may_be_typed_as_people_write_it_and_the_device_is_told_the_number(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch, typed: str
) -> None:
    sent: list[bytes] = []
    async with at_site(tmp_path, monkeypatch) as site:
        site.device = answering({b"id?\r": b"feeder 3\r\n"}, sent)
        await site.open_port()
        await more(site, "rate")
        for text in (typed, "rate {baud}\\r", "id?\\r"):
            await prompt(site, text)
        await site.until(lambda: "38400" in site.app.session.links[0].line)
        assert sent[0] == b"rate 38400\r" and rates_reading(typed.replace(" baud", "") + " 57k6") == "2 rates"


async def test_questions_of_the_sheet_and_earlier_lines_are_offered(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    sent: list[bytes] = []
    async with at_site(tmp_path, monkeypatch) as site:
        site.device = lambda port, data: sent.append(data)
        await site.open_port()
        session = site.app.session
        session.links.change(replace(session.links[0], sheet="oxygen-transmitter"))
        site.app.desk.link_changed()
        entry = site.app.desk.query_one("#say", EntryLine)
        entry.value = ""
        await site.pilot.press(*"MEAS:O")
        await site.until(lambda: "MEAS:OXYG?" in entry._suggestion)
        await site.pilot.press("right")
        assert entry.value == "MEAS:OXYG?"
        entry.value = ""
        await more(site, "command")
        await site.pick("0")
        await site.until(lambda: entry.value == "*IDN?")
        await site.pilot.press("enter")
        await site.until(lambda: sent == [b"*IDN?\n"])


async def test_the_screen_and_the_exchanges_show_one_stream(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    async with at_site(tmp_path, monkeypatch, size=(80, 24)) as site:
        site.device = lambda port, data: port.say(b"\x1b[2J\x1b[?3h\x1b[3;100Hfar right\x1b[H\x1b[31mleft\x1b[0m\r\n")
        await site.open_port()
        await say(site, "go")
        await site.until(lambda: "far right" in site.rows())
        await site.pilot.press("ctrl+d")
        view = site.app.desk.query_one(ScreenView)

        def shown() -> list[str]:
            return [view.render_line(y).text.rstrip() for y in range(view.size.height)]

        await site.until(lambda: shown()[0] == "left")
        assert "far right" not in "".join(shown()) and view.cut_off == 132 - view.size.width
        await site.pilot.press(*["shift+right"] * 4)
        await site.until(lambda: any("far right" in row for row in shown()))
        await more(site, "wrap")
        await site.until(lambda: any("far right" in row for row in shown()) and shown()[0] == "left")
        await more(site, "wrap")
        await more(site, "reset")
        await site.until(lambda: "132 columns" in site.said())
        assert shown()[0] == ""


async def test_two_spans_of_the_record_are_compared_with_values_masked(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    answers = iter([b"oxygen 9.4\r\nlid closed\r\n", b"oxygen 8.8\r\nlid open\r\nnew line\r\n"])
    async with at_site(tmp_path, monkeypatch) as site:
        site.device = lambda port, data: port.say(next(answers))
        await site.open_port()
        for word, lids in (("before", 1), ("after", 2)):
            await site.pilot.press("f8", "m")
            await prompt(site, word)
            await site.pilot.press("f5")
            await say(site, "all?")
            await site.until(lambda lids=lids: site.rows().count("lid") == lids)
        await site.pilot.press("f8")
        await site.until(lambda: "mark: after" in site.rows() and "new line" in site.rows())
        await site.pilot.press("c")
        for choice in (0, 0):
            await site.until(lambda: site.app.screen.query("OptionList"))
            before = site.app.screen
            await site.pilot.press(*["down"] * choice, "enter")
            await site.until(lambda before=before: site.app.screen is not before)
        await site.pick("masked")
        await site.until(lambda: isinstance(site.app.screen, Picture))
        lines = str(site.app.screen.query_one("#lines", Static).content)
        assert "~ lid closed" in lines and "+ " in lines and "~ oxygen" not in lines and "  oxygen 9.4" in lines


async def test_all_that_is_to_be_sent_is_shown_once_there_is_room_for_it(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    async with at_site(tmp_path, monkeypatch, size=(72, 24)) as site:
        await site.open_port()
        preview = site.app.desk.query_one("#preview", Static)
        await site.pilot.press(*"feeder2level?")
        await site.until(lambda: "66 65" in str(preview.content) and "3f 0a" not in str(preview.content))
        await site.pilot.resize_terminal(128, 40)
        await site.until(lambda: "sends 66 65 65 64 65 72 32 6c 65 76 65 6c 3f 0a" in str(preview.content))


async def test_echoes_signals_and_earlier_entries(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    async with at_site(tmp_path, monkeypatch, size=(140, 40)) as site:
        site.device = lambda port, data: port.say(data.replace(b"\n", b"\r\nok\r\n"))
        await site.open_port()
        for text in ("status all", "portion 120"):
            await say(site, text)
            await site.until(lambda text=text: site.rows().count(text) >= 2)
        await more(site, "echo")
        await site.until(lambda: "each character stands twice" in str(site.app.desk.query_one(HeadLine).text))
        await more(site, "sent_earlier")
        await prompt(site, "STATUS")
        await site.pick("0")
        entry = site.app.desk.query_one("#say", EntryLine)
        await site.until(lambda: entry.value == "status all")
        await more(site, "dtr")
        await site.pick("off")
        await more(site, "signals")
        await site.until(lambda: isinstance(site.app.screen, Picture))
        lines = str(site.app.screen.query_one("#lines", Static).content)
        assert "DTR   off" in lines and "RTS   on" in lines and "framing" in lines
        await site.pilot.press("escape")


async def test_points_are_ticked_off_as_the_device_speaks_of_them(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    async with at_site(tmp_path, monkeypatch) as site:
        await site.open_port()
        await more(site, "roll")
        await prompt(site, "pump 2, intake level, door")
        port = site.twins["/dev/made-up"]
        await site.until(lambda: "0 of 3 points" in str(site.app.desk.query_one("#preview", Static).content))
        port.say(b"EVENT 0007 PUMP 2 OFF\r\nEVENT 0008 door OP")
        port.say(b"EN\r\n")
        await site.until(lambda: "2 of 3 points" in str(site.app.desk.query_one("#preview", Static).content))
        await site.pilot.press("escape")
        await site.until(lambda: "remaining: intake level" in site.rows())
        tested = [event.detail["point"] for event in site.book.reader.events() if "point" in event.detail]
        assert tested == ["pump 2", "door"]


async def test_what_was_offered_for_one_link_does_not_stand_for_another(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    async with at_site(tmp_path, monkeypatch) as site:
        await site.open_port()
        session = site.app.session
        one = session.links.change(replace(session.links[0], first_question="LIST?"))
        session.links.keep("/dev/other", one.line, "typed")
        other = session.links.change(replace(session.links[1], name="other", first_question="ID?"))
        entry = site.app.desk.query_one("#say", EntryLine)
        for link, offered in ((one, "LIST?"), (other, "ID?")):
            session.links.choose(link)
            site.app.desk.link_changed()
            assert entry.value == offered
        await site.pilot.press("t", "y")
        assert entry.value == "ty"
        session.links.choose(one)
        site.app.desk.link_changed()
        assert entry.value == "ty"


def test_escape_codes_go_and_what_is_not_whole_stays() -> None:
    assert without_codes(b"\x1b[2J\x1b[1;33m Menu\x1b]0;title\x07 \x0e1\x0f\x1b(B\r\n") == b" Menu 1\r\n"
    assert without_codes(b"a\x1b[12") == b"a\x1b[12"


def test_what_we_send_stands_underlined_in_the_device_s_own_style() -> None:
    screen = DeviceScreen()
    screen.feed(b"\x1b[31mred")
    screen.feed_local(b"typed\r")
    screen.feed(b"still")
    runs = [(run.text.strip(), run.ink, run.underline) for n in (0, 1) for run in screen.line(n) if run.text.strip()]
    assert runs == [("red", "red", False), ("typed", "red", True), ("still", "red", False)]


async def test_what_a_device_asks_about_the_terminal_is_answered_only_once_that_is_allowed(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    sent: list[bytes] = []

    async with at_site(tmp_path, monkeypatch) as site:
        site.device = lambda port, data: sent.append(data)
        await site.open_port()
        await site.pilot.press("ctrl+d")
        site.twins["/dev/made-up"].say(b"\x1b[2;3H\x1b[6n")
        await site.until(lambda: "it asks about the terminal" in str(site.app.desk.query_one(HeadLine).text))
        assert not sent
        await more(site, "answers")
        await site.until(lambda: "its questions are answered" in str(site.app.desk.query_one(HeadLine).text))
        site.twins["/dev/made-up"].say(b"\x1b[4;5H\x1b[6n")
        await site.until(lambda: sent)
        await more(site, "answers")
        site.twins["/dev/made-up"].say(b"\x1b[6;7H\x1b[6nready")
        screen = site.app.desk.query_one(ScreenView).screen_shown
        await site.until(lambda: screen is not None and "ready" in "".join(screen.text()))
        await site.until(lambda: "it asks about the terminal" in str(site.app.desk.query_one(HeadLine).text))
        assert b"".join(sent) == b"\x1b[4;5R"


async def test_waiting_says_since_when_and_how_long_the_last_right_answer_took(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    def device(port: MemoryTransport, data: bytes) -> None:
        if data == b"*IDN?\n":
            port.say(b"Brookmade,OX-2,unit 1,1.14\n")

    monkeypatch.setattr("ordolex.session.session.Question", partial(Question, timeout_s=60.0))
    async with at_site(tmp_path, monkeypatch) as site:
        site.device = device
        await site.open_port()
        await say(site, "*IDN?")
        await site.until(lambda: "right answer" in site.said())
        await say(site, "MEAS:OXYG?")
        waiting = r"waiting \d\.\d s for the answer to MEAS:OXYG\?.*; the last right one took \d+ ms"
        await site.until(lambda: re.search(waiting, str(site.app.desk.query_one(HeadLine).text)))


async def test_a_secret_that_did_not_go_out_is_not_called_sent(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    async with at_site(tmp_path, monkeypatch) as site:
        site.device = lambda port, data: port.say(b"Password: ") if data == b"login\n" else None
        await site.open_port()
        await say(site, "login")
        await site.until(lambda: site.app.desk.query_one("#say", Input).password)

        async def stuck(*_: object) -> None:
            raise Fault("what was sent is held back", "look at flow control")

        monkeypatch.setattr(site.twins["/dev/made-up"], "write", stuck)
        await say(site, "trout9")
        await site.until(lambda: "held back" in site.said())
        assert "sent 6" not in site.said()
        assert not site.app.desk.query_one("#say", Input).password, "it is forgotten"
        await site.pilot.press("ctrl+z")
        await site.until(lambda: site.app.desk.query_one(KeyPad).has_focus)
        site.app.desk.say("")
        await site.pilot.press("k")
        await site.until(lambda: "held back" in site.said())


async def test_what_came_of_an_older_question_is_not_said_over_a_newer_one(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr("ordolex.session.session.Question", partial(Question, timeout_s=60.0))
    async with at_site(tmp_path, monkeypatch) as site:
        await site.open_port()
        await say(site, "MEAS:OXYG?")
        await site.until(lambda: "sending 11 bytes" in site.said())
        await say(site, "*IDN?")
        await site.until(lambda: "stopped waiting" in site.rows())
        await site.pilot.pause()
        assert "stopped waiting" not in site.said(), "it waits for the newer one"


async def test_why_a_line_was_not_sent_is_not_said_over_by_an_older_answer(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr("ordolex.session.session.Question", partial(Question, timeout_s=60.0))
    async with at_site(tmp_path, monkeypatch) as site:
        await site.open_port()
        await say(site, "*IDN?")
        await site.until(lambda: "sending 6 bytes" in site.said())
        monkeypatch.setattr("ordolex.tui.desks.talk.asking._lines_arrive", lambda at: True)
        await say(site, "MEAS:OXYG?")
        await site.until(lambda: "Lines still arrive" in site.said())
        site.twins["/dev/made-up"].say(b"Brookmade,OX-2,unit 1,1.14\n")
        await site.until(lambda: "Proven" in site.lifeline() and "OX-2" in site.rows())
        await site.pilot.pause()
        assert "Lines still arrive" in site.said()
        assert site.app.desk.query_one("#say", Input).value == "MEAS:OXYG?", "it is still there"


async def test_a_book_that_cannot_be_read_for_watch_is_said_and_ends_nothing(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    def damaged(*_: object) -> None:
        raise BookFault("the book's values cannot be read", "ordolex book rescue")

    async with at_site(tmp_path, monkeypatch) as site:
        await site.open_port()
        monkeypatch.setattr("ordolex.tui.desks.watch.rows.kept_rows", damaged)
        await site.pilot.press("f7")
        await site.until(lambda: "values cannot be read" in site.said())
        await site.pilot.press("f5")
        await site.until(lambda: site.app.desk.word == "Talk")
