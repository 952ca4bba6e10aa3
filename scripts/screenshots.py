"""Makes the pictures of docs/screenshots from the demo site: the real program in an xterm on a virtual screen.

    python scripts/screenshots.py docs/screenshots

Needs Xvfb, xterm, xdotool and ImageMagick; `make screenshots` installs them.
"""

from __future__ import annotations

import contextlib
import os
import subprocess
import sys
import tempfile
import time
from collections.abc import Iterator
from pathlib import Path

WIDTH, HEIGHT = 1280, 800
_CLEAR = "BackSpace*24"

# A picture's name (none: only the keys), and the keys that lead to it from the one before it. A word is a key,
# `text:…` is typed, `wait:s`.
WALK = (
    ("find.png", "wait:8"),
    ("ask-everywhere.png", "e wait:0.4 Return wait:0.4 Return wait:0.4 Return wait:6"),
    ("", "Escape wait:1.0 Escape wait:1.2 Return wait:0.8"),
    (
        "talk-proven.png",
        f"Return wait:1.5 Return wait:0.8 text:*IDN? Return wait:0.8 text:MEAS:TEMP? Return wait:1.2 {_CLEAR}",
    ),
    ("talk-wrong-baud.png", f"ctrl+g wait:0.4 {_CLEAR} text:9600,n,8,1 Return wait:0.4 text:*IDN? Return wait:1.5"),
    ("why.png", "F12 wait:1.5"),
    ("", f"Escape wait:0.4 F2 wait:0.4 Down*5 Return wait:0.5 Return wait:6.5 {_CLEAR}"),
    ("match.png", "F4 wait:0.8 m wait:14"),
    (
        "match-inverted.png",
        "F2 wait:0.4 Down Return wait:0.5 ctrl+u text:9600 wait:0.3 Return wait:1.5 F4 wait:0.5 m wait:22",
    ),
    (
        "talk-secret.png",
        "F2 wait:0.4 Down Return wait:0.5 Return wait:1.5 Return wait:0.8 text:operator Return wait:0.8"
        " text:trout-4711 wait:0.6",
    ),
    ("talk-screen.png", "Return wait:1.0 ctrl+d wait:0.8 text:1 Return wait:1.2"),
    ("wire.png", "ctrl+d wait:0.5 F3 wait:1.0 p wait:0.4 Down*5 Return wait:0.6 BackSpace wait:0.8"),
    ("keep.png", "F8 wait:1.5"),
    ("", "Escape wait:0.4 F5 wait:0.4 ctrl+Up*4 wait:0.3"),
)
BRINGING = (
    (
        "bring-up.png",
        "wait:8 n wait:1 Return wait:0.8 Return wait:0.8 Return wait:2.5 Return wait:0.8 Return wait:4 Return wait:3",
    ),
)
SETTING = (
    (
        "set.png",
        "wait:8 Down*12 wait:0.5 Return wait:0.6 Return wait:1.5 F6 wait:0.6 r wait:3 Return wait:0.5 ctrl+u"
        " text:42.5 Return wait:0.5 a wait:0.6 Return wait:2.5 Down*4 Return wait:0.5 ctrl+u text:14 Return wait:0.8",
    ),
    (
        "set-procedure.png",
        "F2 wait:0.4 Up*5 wait:0.4 Return wait:0.6 Return wait:1.5 F6 wait:0.5 p wait:0.8 Down*2 Return wait:0.5 ctrl+u"
        " text:192.0.3.1 Return wait:0.8",
    ),
)
RELAYING = (
    (
        "relay-boxes.png",
        "wait:8 F9 wait:0.8 s wait:1.2 End wait:0.4 Return wait:0.6 ctrl+u text:127.20.0.32/27 wait:0.3 Return wait:0.8"
        " Return wait:9",
    ),
    (
        "relay.png",
        "Left*2 wait:0.5 n wait:0.8 Return wait:0.6 ctrl+u text:rfc2217://127.20.0.44:4002 Return wait:0.6 ctrl+u"
        " text:outlet-gate Return wait:0.6 ctrl+u text:2400,7e1 Return wait:5 p wait:0.8 ctrl+u text:POS?\\n wait:0.3"
        " Return wait:2.5",
    ),
)
WATCHING = (("watch.png", "wait:8 F7 wait:0.8 d wait:24"),)
SMALL = (("talk-80x24.png", f"wait:8 Return wait:0.5 Return wait:1 Return wait:1 text:*IDN? Return wait:1 {_CLEAR}"),)


@contextlib.contextmanager
def screen() -> Iterator[dict[str, str]]:
    """A virtual screen; the environment of what shall show on it."""
    read, write = os.pipe()
    server = subprocess.Popen(
        ["Xvfb", "-displayfd", str(write), "-screen", "0", f"{WIDTH}x{HEIGHT}x24", "-nolisten", "tcp"],
        pass_fds=(write,), stderr=subprocess.DEVNULL,
    )  # fmt: skip
    os.close(write)
    try:
        number = os.read(read, 16).decode().strip()
        yield {**os.environ, "DISPLAY": f":{number}"}
    finally:
        server.terminate()
        server.wait()


def walk(folder: Path, steps: tuple[tuple[str, str], ...], size: str, points: int) -> None:
    program = [str(Path(sys.executable).with_name("ordolex")), "demo"]
    look = ["-bg", "#11171a", "-fg", "#d7dfe1", "-fa", "DejaVu Sans Mono", "-fs", str(points), "-b", "0", "+sb", "-bc"]
    with screen() as environment, tempfile.TemporaryDirectory(ignore_cleanup_errors=True) as home:
        environment |= {"HOME": home, "COLORTERM": "truecolor", "LANG": "C.UTF-8"}
        environment.pop("NO_COLOR", None)
        term = subprocess.Popen(["xterm", *look, "-geometry", f"{size}+0+0", "-tn", "xterm-256color",
                                 "-e", "env", "COLORTERM=truecolor", *program],
                                env=environment)  # fmt: skip
        try:
            for name, keys in steps:
                for word in keys.split():
                    press(word, environment)
                if not name:
                    continue
                subprocess.run(["import", "-window", "root", "-trim", "+repage", str(folder / name)],
                               env=environment, check=True)  # fmt: skip
                print(folder / name, flush=True)
        finally:
            term.terminate()
            term.wait()


def press(word: str, environment: dict[str, str]) -> None:
    def do(*arguments: str) -> None:
        subprocess.run(["xdotool", *arguments], env=environment, check=True)

    if word.startswith("wait:"):
        time.sleep(float(word.removeprefix("wait:")))
    elif word.startswith("text:"):
        do("type", "--delay", "30", word.removeprefix("text:"))
    else:
        key, _, times = word.partition("*")
        for _ in range(int(times or 1)):
            do("key", key)


def main() -> None:
    folder = Path(sys.argv[1] if len(sys.argv) > 1 else "docs/screenshots")
    folder.mkdir(parents=True, exist_ok=True)
    walk(folder, WALK, "128x40", 12)
    walk(folder, BRINGING, "128x40", 12)
    walk(folder, SETTING, "128x40", 12)
    walk(folder, RELAYING, "128x40", 12)
    walk(folder, WATCHING, "128x40", 12)
    walk(folder, SMALL, "80x24", 19)


if __name__ == "__main__":
    main()
