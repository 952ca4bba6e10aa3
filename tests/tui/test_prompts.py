"""Questions in front of a desk: no red mark before anything is typed, paths chosen, a list narrowed."""

from __future__ import annotations

import asyncio
import importlib
import inspect
import pkgutil
from collections.abc import Callable, Iterator
from pathlib import Path

import pytest
from textual.app import App
from textual.widgets import DirectoryTree, OptionList, Static

import ordolex.tui
from ordolex.core.line.notation import SettingsError, read_line
from ordolex.io.system.faults import Fault
from ordolex.io.system.files import read_given, read_given_text
from ordolex.tui.desks.set.readings import number_reading
from ordolex.tui.readings import file_reading, new_file_reading
from ordolex.tui.theme import themes
from ordolex.tui.widgets.choosing import Chooser
from ordolex.tui.widgets.entry_line import EntryLine
from ordolex.tui.widgets.prompts import LinePrompt, Pick


class Asking(App[None]):
    def __init__(self) -> None:
        super().__init__()
        for theme in themes():
            self.register_theme(theme)
        self.theme = "ordolex-dark"
        self.given: list[str | None] = []


async def test_nothing_is_called_wrong_before_it_is_typed_and_a_file_is_chosen_by_tab(tmp_path: Path) -> None:
    (tmp_path / "a folder").mkdir()
    (tmp_path / "a folder" / "table.csv").write_text("x")
    app = Asking()
    async with app.run_test(size=(100, 30)) as pilot:
        app.push_screen(LinePrompt("Which file?", "", file_reading, "a hint"), app.given.append)
        await pilot.pause()
        reading, line = app.screen.query_one("#reading", Static), app.screen.query_one("#line", EntryLine)
        assert str(reading.render()) == ""
        await pilot.press("x")
        assert "✗" in str(reading.render())
        line.value = str(tmp_path / "nothing")
        await pilot.press("tab")
        await pilot.pause()
        assert isinstance(app.screen, Chooser)
        tree = app.screen.query_one(DirectoryTree)
        while not tree.root.children:
            await pilot.pause(0.02)
        await pilot.press("down", "enter")
        while not tree.root.children[0].children:
            await pilot.pause(0.02)
        await pilot.press("down", "enter")
        await pilot.pause()
        assert line.value == str(tmp_path / "a folder" / "table.csv")
        await pilot.press("enter")
        await pilot.pause()
    assert app.given == [str(tmp_path / "a folder" / "table.csv")]


async def test_a_new_file_keeps_its_name_in_the_folder_that_was_chosen(tmp_path: Path) -> None:
    (tmp_path / "reports").mkdir()
    app = Asking()
    async with app.run_test(size=(100, 30)) as pilot:
        app.push_screen(LinePrompt("Into?", str(tmp_path / "image.json"), new_file_reading, ""), app.given.append)
        await pilot.pause()
        await pilot.press("tab")
        await pilot.pause()
        tree = app.screen.query_one(DirectoryTree)
        while not tree.root.children:
            await pilot.pause(0.02)
        await pilot.press("down", "enter")
        await pilot.pause()
        await pilot.press("enter")
        await pilot.pause()
    assert app.given == [str(tmp_path / "reports" / "image.json")]


async def test_a_long_list_is_narrowed_by_typing_and_esc_shows_all_again_before_it_leaves() -> None:
    app = Asking()
    words = ["Break", "Change the rate", "Find the fastest rate", "DTR", "RTS", "Character set", "Reset", "Search"]
    async with app.run_test(size=(100, 30)) as pilot:
        app.push_screen(Pick("With this line", [(word, word) for word in words]), app.given.append)
        await pilot.pause()
        shown = app.screen.query_one(OptionList)
        await pilot.press(*"rate", "space", "f")
        assert [shown.get_option_at_index(n).id for n in range(shown.option_count)] == ["Find the fastest rate"]
        await pilot.press("escape")
        assert shown.option_count == len(words)
        await pilot.press(*"rts", "enter")
        await pilot.pause()
        app.push_screen(Pick("Sure?", [("no", "No"), ("yes", "Yes")]), app.given.append)
        await pilot.pause()
        await pilot.press("y", "down", "enter")  # a short list is not narrowed
        await pilot.pause()
    assert app.given == ["RTS", "yes"]


def readings() -> Iterator[Callable[[str], object]]:
    """All functions of the interface that say how a typed line is understood."""
    for module in pkgutil.walk_packages(ordolex.tui.__path__, "ordolex.tui."):
        for name, function in vars(importlib.import_module(module.name)).items():
            if inspect.isfunction(function) and function.__module__ == module.name:
                given = [one.annotation for one in inspect.signature(function).parameters.values()]
                if given == ["str"] and name.endswith(("_reading", "_words")):
                    yield function


ODD = [
    "", " ", "~nobody/x", "~nobody", "~", "x" * 300, "x/" * 3000, "/dev/zero", "a\x00b", "é" * 3000, "9" * 400,
    "9" * 5000, "-1", "nan", "inf", "1e400", "0x" + "f" * 400, "1-99999999999", "-5-3", "1,,2", "[::1:5",
    "tcp://[::1:5", "²", "٣", "½", "x" * 300 + ".svg", "~nobody/x.svg", "{baud" + "9" * 500 + "}", "1 " * 2000,
    "(a+)+$", "a{99999}", "\x1b[31m", "9" * 400 + "h", "2026-13-45", "10.0.0.0/-1",
]  # fmt: skip


def test_whatever_is_typed_is_understood_or_refused(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.chdir(tmp_path)
    found = list(readings())
    assert len(found) > 25
    for reading in found:
        for text in ODD:
            try:
                words = reading(text)
                assert isinstance(words(text) if callable(words) else words, str)
            except ValueError as error:
                assert str(error), (reading, text)


async def test_a_home_that_is_none_and_a_name_too_long_are_said_at_the_prompt() -> None:
    app = Asking()
    async with app.run_test(size=(100, 30)) as pilot:
        app.push_screen(LinePrompt("Which file?", "", file_reading, "a hint"), app.given.append)
        await pilot.pause()
        line, shown = app.screen.query_one("#line", EntryLine), app.screen.query_one("#reading", Static)
        for text in ("~nobody-here/x", "x" * 300):
            line.value = text
            await pilot.press("enter", "tab")
            await pilot.pause()
            await pilot.press("escape")
            assert "✗" in str(shown.render()) and app.given == []


def test_a_file_that_never_ends_is_given_up_and_a_number_without_end_refused(tmp_path: Path) -> None:
    with pytest.raises(Fault, match="/dev/zero is longer than 4 MB; give the path of a bus file"):
        read_given_text(Path("/dev/zero"), "a bus file")
    with pytest.raises(Fault, match="longer than 1 KB"):
        read_given(Path("/dev/zero"), "a table", 1 << 10)
    (tmp_path / "latin").write_bytes(b"caf\xe9")
    with pytest.raises(Fault, match="it is no UTF-8 at byte 3"):
        read_given_text(tmp_path / "latin", "a sheet")
    for text in ("9" * 400, "9" * 5000 + " 8N1", "9" * 5000 + "k", "x" * 5000):
        with pytest.raises(SettingsError, match="write them like 9600 8N1"):
            read_line(text)


@pytest.mark.parametrize("text", ["nan", "inf", "1,5", "1_000", "٣", "1e400", "8.4 V"])
def test_a_panels_value_is_a_number_as_it_stands_there(text: str) -> None:
    assert [number_reading(good) for good in ("", "-8.4", ".5", "1e3", "12.")] == [
        "nothing",
        "-8.4",
        ".5",
        "1e3",
        "12.",
    ]
    with pytest.raises(ValueError, match="with a point before its fraction"):
        number_reading(text)


async def test_what_is_typed_before_the_prompt_stands_is_not_replaced_by_what_it_offers() -> None:
    app = Asking()
    async with app.run_test(size=(100, 30)) as pilot:
        prompt = LinePrompt("Name", "offered", lambda text: f"it is {text}", "a hint")
        app.push_screen(prompt, app.given.append)
        while not prompt.query("#line"):
            await asyncio.sleep(0)
        prompt.query_one("#line", EntryLine).value = "typed"
        await pilot.pause()
        await pilot.press("enter")
        await pilot.pause()
        assert app.given == ["typed"]
