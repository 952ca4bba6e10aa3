"""Which modules a command line needs: no command is missing, and none pays for another's imports."""

from __future__ import annotations

import importlib
import subprocess
import sys

import typer

from ordolex.cli.main import MODULE_OF


def test_every_command_is_where_the_table_says() -> None:
    for module in set(MODULE_OF.values()):
        app = typer.Typer()
        importlib.import_module(f"ordolex.cli.{module}").add_to(app)
        names = {c.name or c.callback.__name__ for c in app.registered_commands if c.callback}
        names |= {group.name for group in app.registered_groups if group.name}
        assert names == {command for command, of in MODULE_OF.items() if of == module}


def test_a_plain_command_imports_neither_numbers_nor_drawings_nor_the_interface() -> None:
    code = (
        "import sys; from ordolex.cli.main import application\n"
        "try: application(['line'])(['line', '9600 8N1'])\nexcept SystemExit: pass\n"
        "print([m for m in ('numpy', 'matplotlib', 'textual', 'sqlite3', 'serial') if m in sys.modules])"
    )
    done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, timeout=30)
    assert done.stdout.splitlines()[-1] == "[]", done.stdout + done.stderr
