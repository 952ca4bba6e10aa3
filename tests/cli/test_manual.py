"""The manual page is what the tables say, and a shell is told how a command line may go on."""

import os
import subprocess
import sys
from pathlib import Path

from ordolex.cli.main import MODULE_OF
from ordolex.tui.places import PLACES
from tests.conftest import program

ROOT = Path(__file__).parents[2]


def test_the_manual_page_is_of_this_state(tmp_path: Path) -> None:
    written = tmp_path / "ordolex.1"
    subprocess.run([sys.executable, str(ROOT / "scripts/manual.py"), str(written)], check=True, timeout=60)
    page = written.read_text()
    assert page == (ROOT / "docs/ordolex.1").read_text(), "make it anew: python scripts/manual.py docs/ordolex.1"
    assert all(f".SS {command}" in page for command in MODULE_OF)
    assert all(key.title.replace("-", r"\-") in page for place in PLACES for key in place.kind().JOBS if key.key)


def test_a_shell_is_told_how_a_command_line_goes_on() -> None:
    def offered(words: str) -> list[str]:
        asks = {"_ORDOLEX_COMPLETE": "complete_bash", "COMP_WORDS": words, "COMP_CWORD": str(words.count(" "))}
        done = subprocess.run(program(), env={**os.environ, **asks}, capture_output=True, text=True, timeout=60)
        return done.stdout.split()

    assert offered("ordolex ma") == ["match"]
    assert "--sheet" in offered("ordolex match --sh")
    assert offered("ordolex sheet ch") == ["check"]
