"""Questions in front of a desk: no red mark before anything is typed, paths chosen, a list narrowed."""

from __future__ import annotations

from pathlib import Path

from textual.app import App
from textual.widgets import DirectoryTree, OptionList, Static

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
