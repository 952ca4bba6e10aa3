"""An OS serial port's settings and what it says: set all at once, read back, put back; faults in words.

All exceptions of port calls come in three kinds (SerialException, OSError, termios.error); they become Faults here.
"""

from __future__ import annotations

import asyncio
import contextlib
import errno
import os
import stat
from pathlib import Path

import serial

from ordolex.core.line.settings import Flow, LineSettings
from ordolex.io.ports.holders import group_that_may
from ordolex.io.system.faults import Fault, NoRights, PortHeld, PortMissing, SettingsRefused
from ordolex.io.transport.linux_line import (
    discard_waiting,
    format_in_force,
    is_another_rate,
    mark_errors,
    rate_in_force,
)

try:
    from termios import error as termios_error
except ImportError:  # Windows has no termios, and so no such error

    class termios_error(Exception):  # type: ignore[no-redef]
        pass


PORT_ERRORS = (serial.SerialException, OSError, termios_error, ValueError)
_MEMORY_DEVICES = 1  # their major number on Linux


def mark(port: serial.Serial, path: str) -> None:
    """Asks for marks where errors can be: a pseudo-terminal has none. After each setting: it takes them away."""
    if os.name == "posix" and not _is_pseudo_terminal(path):
        with contextlib.suppress(*PORT_ERRORS):
            mark_errors(port.fileno())


def check_set(port: serial.Serial, path: str, line: LineSettings) -> None:
    """Reads back what the system really set: it takes a rate or format that the port cannot do without a word. Raises
    SettingsRefused for another one."""
    if os.name != "posix":
        return
    found = rate_in_force(port.fileno())
    if is_another_rate(line.baud, found):
        raise SettingsRefused(f"{path} cannot do {line.baud} baud: it stays at {found}", "choose a rate that it can do")
    kept = kept_by(path, line)
    if format_in_force(port.fileno()) != _as_format(kept):
        raise SettingsRefused(
            f"{path} cannot do {kept.data_bits} data bits, {kept.parity.word} parity, {kept.stop_bits:g} stop"
            " bits: its driver keeps another format",
            "choose another format, or another adapter",
        )


def close_at_once(port: serial.Serial) -> None:
    """Away from the loop, and without waiting for what the far end holds back."""
    with contextlib.suppress(*PORT_ERRORS):
        if os.name == "posix":
            discard_waiting(port.fileno())
        port.close()


def refuse_what_does_nothing(path: str, line: LineSettings) -> None:
    """Raises SettingsRefused for what the system takes and does not do."""
    if os.name != "posix":
        return
    if line.flow is Flow.DTR_DSR:
        raise SettingsRefused(
            f"{path}: this system does no DTR/DSR flow control, it would be taken and do nothing",
            "choose RTS/CTS, XON/XOFF or none",
        )
    if line.stop_bits == 1.5 and line.data_bits != 5:
        raise SettingsRefused(
            f"{path}: 1.5 stop bits go with 5 data bits only, else the port sends 2", "choose 1 or 2 stop bits"
        )


def set_all(port: serial.Serial, line: LineSettings) -> None:
    """All at once: one by one, a port could refuse a state in between, or come by one that nobody wanted."""
    port.apply_settings({**port.get_settings(), **_as_fields(line)})


def restore(port: serial.Serial, before: dict[str, object]) -> None:
    """Sets the fields back one by one, also where the port refuses the state in between."""
    for name, value in before.items():
        with contextlib.suppress(*PORT_ERRORS):
            setattr(port, name, value)
    port.apply_settings(before)


def _as_fields(line: LineSettings) -> dict[str, object]:
    return {
        "baudrate": line.baud,
        "bytesize": line.data_bits,
        "parity": line.parity.value,
        "stopbits": int(line.stop_bits) if line.stop_bits == int(line.stop_bits) else line.stop_bits,
        "rtscts": line.flow is Flow.RTS_CTS,
        "xonxoff": line.flow is Flow.XON_XOFF,
        "dsrdtr": line.flow is Flow.DTR_DSR,
    }


def _as_format(line: LineSettings) -> tuple[int, str, int]:
    """As `format_in_force` gives it: for 1.5 stop bits a port has the flag of two."""
    return line.data_bits, line.parity.value, 2 if line.stop_bits > 1 else 1


def close_unwanted(opening: asyncio.Future[serial.Serial]) -> None:
    if not opening.cancelled() and opening.exception() is None:
        opening.result().close()


def hang_up_at_close(port: serial.Serial, hang_up: bool) -> None:
    """Whether the port drops DTR when it is closed (POSIX, 11.1.1.10 Closing a terminal device file: HUPCL)."""
    if os.name == "posix":
        import termios

        attributes = termios.tcgetattr(port.fileno())
        attributes[2] = attributes[2] | termios.HUPCL if hang_up else attributes[2] & ~termios.HUPCL
        termios.tcsetattr(port.fileno(), termios.TCSANOW, attributes)


def may_be_port(path: str) -> bool:
    """A character device that is not one of the system's own such as /dev/null; a missing one may become one."""
    try:
        facts = Path(path).stat()
    except OSError:
        return True
    return stat.S_ISCHR(facts.st_mode) and os.major(facts.st_rdev) != _MEMORY_DEVICES


def set_closed(port: serial.Serial, line: LineSettings) -> None:
    """Of a port that is not open yet."""
    for name, value in _as_fields(line).items():
        setattr(port, name, value)


def kept_by(path: str, line: LineSettings) -> LineSettings:
    """What the kernel keeps of the settings: a pseudo-terminal has eight data bits and no parity, whatever is asked.
    Asking all the same works once and fails the next time, so it is not asked."""
    if _is_pseudo_terminal(path):
        return LineSettings(line.baud, stop_bits=2.0 if line.stop_bits > 1 else 1.0, flow=line.flow)
    return line


def _is_pseudo_terminal(path: str) -> bool:
    return os.path.realpath(path).startswith("/dev/pts/")


def open_fault(path: str, error: BaseException) -> Fault:
    """Why a port did not open, and what to do."""
    number = getattr(error, "errno", None)
    text = str(error)
    if number == errno.ENOENT or "No such file" in text or "FileNotFoundError" in text:
        return PortMissing(f"there is no port {path}", "plug the adapter in, or look in Find for its new name")
    if number in (errno.EACCES, errno.EPERM) or "Permission denied" in text or "PermissionError" in text:
        group = group_that_may(path)
        if os.name != "posix":
            return PortHeld(f"{path} is held by another program", "close it there, then try again")
        do = f"join it with: sudo usermod -aG {group} $USER, then log in again" if group else "ask for rights on it"
        return NoRights(f"no rights on {path}" + (f"; only group {group} may use it" if group else ""), do)
    if number in (errno.EBUSY, errno.EAGAIN) or "exclusively lock" in text or "Could not exclusively" in text:
        return PortHeld(f"{path} is held by another process", "close it there, then try again")
    if number in (errno.ENXIO, errno.EIO, errno.ENODEV):
        return PortMissing(f"{path} is listed but dead", "unplug the adapter and plug it in again")
    if number == errno.ENOTTY or isinstance(error, termios_error):
        return SettingsRefused(f"{path} is no serial port, or refuses the settings", "choose another port")
    return Fault(f"{path} does not open: {error}", "unplug the adapter and plug it in again")
