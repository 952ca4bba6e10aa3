"""How a line that is being typed is understood: the sentence below a prompt, or why it cannot be taken."""

from __future__ import annotations

import os
from collections.abc import Callable

from ordolex.core.line.notation import read_line
from ordolex.core.link.wait import SHORTEST_MS
from ordolex.core.port.endpoint import EndpointError, is_virtual_name, read_endpoint
from ordolex.core.text.counts import counted
from ordolex.core.text.escapes import to_bytes
from ordolex.core.text.visible import hex_pairs
from ordolex.io.system.files import is_file, is_folder, is_there, path_of

_LONGEST_NAME = 40


def line_reading(text: str) -> str:
    """How a typed line is understood, for the prompt. Raises SettingsError."""
    read = read_line(text)
    assumed = f"  ({', '.join(read.assumed)} assumed)" if read.assumed else ""
    return f"{read.settings.words}{assumed}"


def bytes_reading(text: str) -> str:
    """How a question is understood. Raises ValueError."""
    data = to_bytes(text)
    if not data:
        raise ValueError("give something to send")
    return f"sends {hex_pairs(data)}" + ("" if data[-1:] in (b"\r", b"\n") else "   (no line end: add \\n or \\r)")


def wait_reading(text: str) -> str:
    """A wait in ms. Raises ValueError."""
    if not text.isdigit() or not SHORTEST_MS <= int(text) <= 60_000:
        raise ValueError(f"give whole milliseconds, {SHORTEST_MS} to 60000")
    return f"{int(text) / 1000:g} s"


def units_reading(text: str) -> str:
    """Unit IDs. Raises SettingsError."""
    from ordolex.core.match.wishes import read_units

    return f"{counted(len(read_units(text)), 'unit')}, each asked in turn"


def data_bits_reading(text: str) -> str:
    """Numbers of data bits to weigh. Raises SettingsError."""
    from ordolex.core.match.wishes import read_data_bits

    return f"{10 * len(read_data_bits(text))} formats"


def endpoint_reading(text: str) -> str:
    """How an address is understood. Raises EndpointError."""
    endpoint = read_endpoint(text)
    if endpoint.kind == "serial" and os.name == "posix" and "/" not in endpoint.host:
        name = endpoint.host if is_virtual_name(endpoint.host) else "NAME"
        why = f"{endpoint.host} is no port here; a serial port is its path, such as /dev/ttyUSB0"
        raise EndpointError(f"{why}; virtual:{name} makes one")
    where = "; only from this computer" if endpoint.listens and not endpoint.beyond_loopback else ""
    return f"{endpoint.text}: {endpoint.words}{where}"


def remark_reading(text: str) -> str:
    if not text.strip():
        raise ValueError("nothing typed yet")
    return counted(len(text.strip()), "character")


def name_reading(text: str) -> str:
    """Raises ValueError."""
    name = text.strip()
    if not name or len(name) > _LONGEST_NAME or not name.isprintable():
        raise ValueError(f"a name of up to {_LONGEST_NAME} letters, digits and signs")
    return f"called {name}"


def callees_reading(text: str) -> str:
    """Raises ValueError."""
    from ordolex.core.bus.units import read_callees

    units = read_callees(text)
    return counted(len(units), "unit")


def drawing_reading(text: str) -> str:
    path = path_of(text)
    if path.suffix.lower() not in (".svg", ".pdf"):
        raise ValueError("the name ends in .svg or .pdf")
    if not is_folder(path.parent):
        raise ValueError(f"there is no folder {path.parent}")
    if is_there(path):
        raise ValueError(f"{path.name} is there already; choose a new name")
    return f"a new file in {path.parent}"


def rate_of(text: str) -> int:
    """A rate in bit/s, in any notation that has no blank. Raises SettingsError."""
    return read_line(f"{text} 8N1").settings.baud


def rate_reading(text: str) -> str:
    """How `rate_of` reads it. Raises SettingsError."""
    return f"{rate_of(text)} baud"


def rates_reading(text: str) -> str:
    """Several rates. Raises ValueError."""
    if not text.split():
        raise ValueError("give rates in bit/s, such as 9600 19200")
    return counted(len([rate_reading(word) for word in text.split()]), "rate")


def rate_command_reading(text: str) -> str:
    """A command with a place for the rate; nothing where only the port changes. Raises ValueError."""
    if not text.strip():
        return "only the port changes"
    if "{baud}" not in text:
        raise ValueError("{baud} must stand where the rate belongs, such as rate {baud}\\r")
    return bytes_reading(text.replace("{baud}", "19200"))


def repeat_reading(text: str) -> str:
    """An interval in ms. Raises ValueError."""
    if not text.isdigit() or not 20 <= int(text) <= 3_600_000:
        raise ValueError("give whole milliseconds, 20 to 3600000")
    return f"every {int(text) / 1000:g} s"


def pace_reading(text: str) -> str:
    """A pace for sending much. Raises PaceError."""
    from ordolex.io.work.paced import read_pace

    return read_pace(text).words


def file_reading(text: str) -> str:
    """A file that is there. Raises ValueError."""
    path = path_of(text)
    if not text.strip() or not is_file(path):
        raise ValueError("give the path of a file")
    return f"{path.stat().st_size} bytes"


def search_reading(text: str) -> str:
    """A text to look for. Raises ValueError."""
    if not text:
        raise ValueError("give a text")
    return "rows that hold it"


def place_reading(text: str) -> str:
    """An entry of the address book. Raises ValueError."""
    name, equals, number = (part.strip() for part in text.partition("="))
    if not (name and equals and number):
        raise ValueError("give a name and a number, such as: Intake weir = 555 0141")
    return f"{name} at {number}"


def points_reading(text: str) -> str:
    """Points to be tested. Raises ValueError."""
    from ordolex.core.talk.points import read_points

    return counted(len(read_points(text)), "point")


def earlier_reading(history: list[str]) -> Callable[[str], str]:
    """How many of the earlier entries hold a text. Raises ValueError where none does."""

    def read(text: str) -> str:
        count = sum(text.lower() in entry.lower() for entry in history)
        if not count:
            raise ValueError(f"none of {counted(len(history), 'entry', 'entries')} holds that")
        return f"{count} of {counted(len(history), 'entry', 'entries')}"

    return read


def new_file_reading(text: str) -> str:
    """A name for a new file or folder. Raises ValueError."""
    path = path_of(text)
    if not text.strip():
        raise ValueError("give a name")
    if not is_folder(path.parent):
        raise ValueError(f"there is no folder {path.parent}")
    if is_there(path):
        raise ValueError(f"{path.name} is there already; choose a new name")
    return f"in {path.parent.absolute()}"


for _reading, _what in ((file_reading, "file"), (drawing_reading, "new"), (new_file_reading, "new")):
    _reading.chooses = _what  # type: ignore[attr-defined]
"""Those whose path can be chosen from what is there (`widgets/choosing.py`)."""
