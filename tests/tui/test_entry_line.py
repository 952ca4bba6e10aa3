"""What is pasted into a line stands there once, can be seen, and commands nothing."""

from __future__ import annotations

import pytest
from textual.app import App, ComposeResult
from textual.events import Paste

from ordolex.core.text.escapes import lines_of, to_bytes, written_out
from ordolex.tui.widgets.entry_line import EntryLine


class OneLine(App[None]):
    def __init__(self, line: EntryLine) -> None:
        super().__init__()
        self.line = line
        self.blocks: list[str] = []

    def compose(self) -> ComposeResult:
        yield self.line

    def on_entry_line_block(self, event: EntryLine.Block) -> None:
        self.blocks.append(event.text)


HOSTILE = [
    "AT\x1b[2J",
    "a\x9bb",
    "fish\u202etxt.exe",
    "a\tb",
    "a\x00b\x7f",
    "two\u2028rows",
    "\x1b]0;title\x07",
    "soft\xadhyphen",
]


@pytest.mark.parametrize("text", ["AT+CSQ", "AT+CSQ\r\n", "\nAT+CSQ"])
async def test_one_pasted_line_stands_there_once_where_the_cursor_is(text: str) -> None:
    app = OneLine(EntryLine(clears=not text.startswith("\n")))
    async with app.run_test() as pilot:
        app.line.put("<>")
        app.line.cursor_position = 1
        app.post_message(Paste(text))
        await pilot.pause()
        assert app.line.value == "<AT+CSQ>" and app.line.cursor_position == 7 and not app.blocks
        app.line.put("offered", offered=True)
        app.post_message(Paste(text))
        await pilot.pause()
        assert app.line.value == "AT+CSQ"


@pytest.mark.parametrize("text", HOSTILE)
async def test_what_cannot_be_seen_is_written_out_and_means_the_same(text: str) -> None:
    app = OneLine(EntryLine(clears=True))
    async with app.run_test() as pilot:
        app.post_message(Paste(text))
        await pilot.pause()
        assert app.line.value.isprintable() and app.line.cursor_position == len(app.line.value)
        assert to_bytes(app.line.value) == text.encode() and not app.blocks
        app.line.put(text)  # as a sheet or a file's name may have it
        assert app.line.render_line(0).text.strip("▔▁▎▊ ").isprintable() and to_bytes(app.line.value) == text.encode()


async def test_several_lines_are_given_on_or_are_seen_where_there_is_one_and_a_password_is_as_it_is() -> None:
    talk, prompt, hidden = EntryLine(clears=True), EntryLine(), EntryLine()
    hidden.password = True
    for line, value, blocks in ((talk, "", ["a\r\nb\r\n"]), (prompt, r"a\r\nb", []), (hidden, "a\r\nb", [])):
        app = OneLine(line)
        async with app.run_test() as pilot:
            app.post_message(Paste("a\r\nb\r\n"))
            await pilot.pause()
            assert (line.value, app.blocks) == (value, blocks)


def test_a_line_ends_by_cr_and_lf_alone() -> None:
    assert lines_of("a\x0bb\x0c\x1c\x85\u2028c\r\nd\re\n\nf\n") == ["a\x0bb\x0c\x1c\x85\u2028c", "d", "e", "", "f"]
    assert lines_of("") == [] and lines_of("\n") == [""]
    assert written_out("Büro, 水, e\u0301 \\x41") == "Büro, 水, e\u0301 \\x41"
