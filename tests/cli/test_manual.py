"""The manual page is what the tables say, and a shell is told how a command line may go on."""

import os
import re
import subprocess
import sys
from pathlib import Path

import pytest

from ordolex.cli.main import GROUPS, MODULE_OF
from ordolex.tui.places import PLACES
from tests.conftest import program

ROOT = Path(__file__).parents[2]


@pytest.mark.parametrize(
    ("script", "page"), [("manual", "ordolex.1"), ("keys", "keys.md"), ("commands", "commands.md")]
)
def test_pages_that_are_made_from_the_program_are_of_this_state(tmp_path: Path, script: str, page: str) -> None:
    written = tmp_path / page
    subprocess.run([sys.executable, str(ROOT / f"scripts/{script}.py"), str(written)], check=True, timeout=60)
    made = written.read_text()
    assert made == (ROOT / "docs" / page).read_text(), f"make it anew: python scripts/{script}.py docs/{page}"
    if script != "keys":
        assert all(command in made for names in GROUPS.values() for command in names)
    if script != "commands":
        titles = [job.title for place in PLACES for job in place.kind().JOBS if job.key]
        assert all(title in made or title.replace("-", r"\-") in made for title in titles)


def test_every_command_stands_once_in_the_order_of_the_work() -> None:
    named = [command for names in GROUPS.values() for command in names]
    assert sorted(named) == sorted(MODULE_OF.keys() - {"visit"})
    done = subprocess.run(program("--help"), capture_output=True, text=True, timeout=60)
    assert all(f"  {command} " in done.stdout for command in named) and "  visit " not in done.stdout


def test_the_front_page_is_short_and_every_page_is_reached_from_it() -> None:
    readme = (ROOT / "README.md").read_text()
    assert len(readme.splitlines()) <= 120
    pages = sorted(path.name for path in (ROOT / "docs").glob("*.md"))
    assert [page for page in pages if f"(docs/{page})" not in readme] == []
    for page in [ROOT / "README.md", *(ROOT / "docs").glob("*.md")]:
        links = re.findall(r"\]\(([^)#:]+)\)", page.read_text())
        assert [link for link in links if not (page.parent / link).exists()] == [], page


def test_a_shell_is_told_how_a_command_line_goes_on() -> None:
    def offered(words: str) -> list[str]:
        asks = {"_ORDOLEX_COMPLETE": "complete_bash", "COMP_WORDS": words, "COMP_CWORD": str(words.count(" "))}
        done = subprocess.run(program(), env={**os.environ, **asks}, capture_output=True, text=True, timeout=60)
        return done.stdout.split()

    assert offered("ordolex ma") == ["match"]
    assert "--sheet" in offered("ordolex match --sh")
    assert offered("ordolex sheet ch") == ["check"]
