"""A file or a folder chosen from those that are there, in place of a path typed from memory."""

from __future__ import annotations

from collections.abc import Iterable
from pathlib import Path
from typing import ClassVar

from textual.app import ComposeResult
from textual.binding import Binding, BindingType
from textual.containers import Vertical
from textual.widgets import DirectoryTree, Static

from ordolex.core.text.visible import visible_text
from ordolex.tui.widgets.prompt import USUAL_KEYS, Prompt
from ordolex.tui.widgets.words import Words


class Tree(DirectoryTree):
    """Folders and files in plain characters; what is hidden stays so."""

    ICON_NODE, ICON_NODE_EXPANDED, ICON_FILE = "▸ ", "▾ ", "  "

    def filter_paths(self, paths: Iterable[Path]) -> Iterable[Path]:
        return [path for path in paths if not path.name.startswith(".")]


class Chooser(Prompt[str | None]):
    """Gives a path: of a file, or with `folder` of a folder. Esc gives None."""

    keys = USUAL_KEYS
    DEFAULT_CSS = """
    Chooser { align: center middle; background: $background 60%; }
    Chooser > Vertical { width: 92; max-width: 96%; height: 80%; background: $bar; padding: 1 2; }
    Chooser Static { height: auto; background: $bar; color: $dim; }
    Chooser DirectoryTree { background: $bar; height: 1fr; margin: 1 0; scrollbar-size: 1 1; }
    """
    BINDINGS: ClassVar[list[BindingType]] = [
        Binding("escape", "give_up", "back"), Binding("backspace", "up", "the folder above"),
    ]  # fmt: skip

    def __init__(self, start: Path, *, folder: bool) -> None:
        super().__init__()
        self._folder = folder
        self._tree = Tree(start)
        self._tree.auto_expand = False
        self._where = Words()

    def compose(self) -> ComposeResult:
        with Vertical():
            yield self._where
            yield self._tree
            how = "Enter takes the folder, → opens it" if self._folder else "Enter takes a file, opens a folder"
            yield Static(f"{how}, Backspace goes to the folder above, Esc goes back", markup=False)

    def on_mount(self) -> None:
        self._tree.focus()
        self._say_where()

    def _say_where(self) -> None:
        what = "Choose a folder" if self._folder else "Choose a file"
        self._where.put(f"{what}   {visible_text(str(self._tree.path))}")

    def on_directory_tree_file_selected(self, event: DirectoryTree.FileSelected) -> None:
        event.stop()
        if not self._folder:
            self.dismiss(str(event.path))

    def on_directory_tree_directory_selected(self, event: DirectoryTree.DirectorySelected) -> None:
        event.stop()
        if self._folder:
            self.dismiss(str(event.path))
        else:
            event.node.toggle()

    def on_key(self, event: object) -> None:
        key = getattr(event, "key", "")
        node = self._tree.cursor_node
        if key in ("right", "left") and node is not None and node.allow_expand:
            (node.expand if key == "right" else node.collapse)()

    def action_up(self) -> None:
        self._tree.path = Path(self._tree.path).absolute().parent
        self._say_where()

    def action_give_up(self) -> None:
        self.dismiss(None)
