"""The core and what stands on it load on a machine without POSIX terminals, as Windows is."""

import subprocess
import sys

BLOCKER = """
import sys, importlib, pkgutil

class Missing:
    def find_spec(self, name, path=None, target=None):
        if name in {"termios", "fcntl", "pty", "tty", "grp", "pwd"}:
            raise ImportError(f"no module named {name!r} on this machine")

import asyncio, serial, textual  # these bring their own POSIX halves
for name in ("termios", "fcntl", "pty", "tty", "grp", "pwd"):
    sys.modules.pop(name, None)
sys.meta_path.insert(0, Missing())
import ordolex
for module in pkgutil.walk_packages(ordolex.__path__, "ordolex."):
    if module.name != "ordolex.__main__":
        importlib.import_module(module.name)
print("all")
"""


def test_everything_loads_without_posix_modules() -> None:
    done = subprocess.run([sys.executable, "-c", BLOCKER], capture_output=True, text=True, timeout=60)
    assert done.stdout == "all\n", done.stderr
