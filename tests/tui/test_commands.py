"""The table of commands: whole, documented, and without a key that means two things in one place."""

from pathlib import Path

from ordolex.io.book.book import Book
from ordolex.tui.app import OrdolexApp
from ordolex.tui.commands import COMMANDS, EVERYWHERE, FIND, KEEP, MATCH, SET, TALK, WIRE, of_context
from ordolex.tui.desks.find import FindDesk
from ordolex.tui.desks.keep import KeepDesk, Sieve
from ordolex.tui.desks.match import MatchDesk
from ordolex.tui.desks.set import SetDesk
from ordolex.tui.desks.talk import TalkDesk
from ordolex.tui.desks.wire import WireDesk
from ordolex.tui.set.more import WITH_THIS_DEVICE
from ordolex.tui.talk.line_work import WITH_THIS_LINE

OWNERS = {
    EVERYWHERE: OrdolexApp, FIND: FindDesk, WIRE: WireDesk, MATCH: MatchDesk, TALK: TalkDesk, SET: SetDesk,
    KEEP: KeepDesk,
}  # fmt: skip


def test_no_key_means_two_things_in_one_place() -> None:
    for context in OWNERS:
        keys = [c.key for c in (*of_context(context), *(of_context(EVERYWHERE) if context != EVERYWHERE else ()))]
        assert len(keys) == len(set(keys)), context


def test_every_command_can_be_run() -> None:
    assert len({c.id for c in COMMANDS}) == len(COMMANDS)
    for command in COMMANDS:
        assert callable(getattr(OWNERS[command.context], f"action_{command.action}")), command.id


def test_the_palette_holds_every_command_of_every_desk_and_menu(tmp_path: Path) -> None:
    book = Book(tmp_path / "b.ordolex")
    app = OrdolexApp(book)
    titles = [command.title for command in app.get_system_commands(None)]  # type: ignore[arg-type]
    app._session.hub.stop()
    book.close()
    for command in COMMANDS:
        if command.id != "app.command_palette":
            desk = "" if command.context == EVERYWHERE else f"{command.context}: "
            assert f"{desk}{command.title}  ({command.shown_key})" in titles
    for _, words in (*WITH_THIS_LINE, *WITH_THIS_DEVICE):
        assert any(words in title for title in titles)


def test_every_command_is_in_the_readme() -> None:
    readme = (Path(__file__).parents[2] / "README.md").read_text()
    for command in COMMANDS:
        assert f"| {command.shown_key} | {command.title}" in readme.replace("`", ""), command.id


def test_a_sieve_reads_text_bytes_and_patterns() -> None:
    from ordolex.core.talk.conversation import Direction, Row

    row = Row(Direction.HEARD, 0, b"9.42 mg/l\r\n")
    assert Sieve("MG/L").passes(1, row) and not Sieve("ml").passes(1, row)
    assert Sieve("hex:0d 0a").passes(1, row) and not Sieve("hex:0a0d").passes(1, row)
    assert Sieve(r"re:^9\.\d\d").passes(1, row)
    assert not Sieve("", link=2).passes(1, row) and not Sieve("", direction=Direction.SENT).passes(1, row)
    for bad in ("hex:0", "re:("):
        try:
            Sieve(bad)
        except ValueError as error:
            assert bad[:3] in str(error)
        else:
            raise AssertionError(bad)
