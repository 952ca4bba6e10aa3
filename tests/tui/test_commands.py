"""The table of commands: whole, documented, and without a key that means two things in one place."""

from pathlib import Path

from ordolex.core.record.sieve import Sieve
from ordolex.io.book.book import Book
from ordolex.tui.app import OrdolexApp
from ordolex.tui.job import Job
from ordolex.tui.places import PLACES

EVERYWHERE = OrdolexApp.JOBS
AT_DESKS: dict[str, tuple[Job, ...]] = {place.word: place.kind().JOBS for place in PLACES}
ALL = [*EVERYWHERE, *(job for jobs in AT_DESKS.values() for job in jobs)]


def test_no_key_means_two_things_in_one_place() -> None:
    for word, jobs in AT_DESKS.items():
        keys = [job.key for job in (*jobs, *EVERYWHERE) if job.key] + [place.key for place in PLACES]
        assert len(keys) == len(set(keys)) + len(PLACES), word  # those of the desks are among everywhere's, too


def test_every_job_can_be_found_by_its_id_and_stands_behind_its_desks_key() -> None:
    assert len({job.id for job in ALL}) == len(ALL)
    for place in PLACES:
        keys = {
            key: binding.id for key, found in place.kind()._merged_bindings.key_to_bindings.items() for binding in found
        }
        for job in AT_DESKS[place.word]:
            assert job.id.startswith(f"{place.word.lower()}.") and (not job.key or keys[job.key] == job.id)
        menu = [job for job in AT_DESKS[place.word] if not job.key]
        assert not menu or any(job.id.endswith(".more") for job in AT_DESKS[place.word]), "somewhere it is offered"


def test_the_palette_holds_every_command_of_every_desk_and_menu(tmp_path: Path) -> None:
    book = Book(tmp_path / "b.ordolex")
    app = OrdolexApp(book)
    titles = [command.title for command in app.get_system_commands(None)]  # type: ignore[arg-type]
    app.session.hub.stop()
    book.close()
    for job in EVERYWHERE:
        assert (
            job.id == "app.command_palette" or (f"{job.title}  ({job.shown_key})" if job.key else job.title) in titles
        )
    for word, jobs in AT_DESKS.items():
        menu_key = next((job.shown_key for job in jobs if job.id.endswith(".more")), "")
        for job in jobs:
            assert f"{word}: {job.title}  ({job.shown_key if job.key else menu_key})" in titles


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
