"""What the command line owes whoever called it, whatever goes wrong: one line, an exit status, and no traceback."""

from __future__ import annotations

import atexit
import contextlib
import os
import sys
from collections.abc import Callable
from typing import NoReturn

from ordolex.core.text import plain_signs
from ordolex.core.text.visible import visible_text
from ordolex.io.own.fault_log import written_down

FAILED = 1


def run_plainly(work: Callable[[], object]) -> None:
    """Runs the program; ends with its exit status."""
    for stream in (sys.stdout, sys.stderr):
        if stream is not None and hasattr(stream, "reconfigure"):
            stream.reconfigure(errors=plain_signs.__name__)  # a terminal or file whose character set lacks a sign
    status = _status_of(work)
    for stream in (sys.stdout, sys.stderr):
        try:
            if stream is not None:
                stream.flush()
        except (OSError, ValueError) as error:
            _forget(stream)
            if stream is sys.stdout and not isinstance(error, BrokenPipeError):
                say(f"the output cannot be written: {getattr(error, 'strerror', None) or error}")
            status = status or FAILED
    if _shown_in == os.getpid():
        _end_at_once(status)
    sys.exit(status)


_shown_in = 0  # the process in which the interface was: one that is forked off it ends in its own way


def interface_was_shown() -> None:
    """This process ends at once when it ends."""
    global _shown_in
    _shown_in = os.getpid()


def _end_at_once(status: int) -> NoReturn:
    """Behind the interface, whose book and ports are closed: to take apart all that it had imported takes longer than
    who leaves wants to wait, and nothing comes of it."""
    atexit._run_exitfuncs()  # what packages registered: temporary folders, logs
    os._exit(status)


def _status_of(work: Callable[[], object]) -> int:
    try:
        work()
    except SystemExit as end:
        return end.code if isinstance(end.code, int) else 0 if end.code is None else FAILED
    except BrokenPipeError:
        _forget(sys.stdout)
        return FAILED
    except KeyboardInterrupt:
        return 130
    except OSError as error:
        say(f"{error.filename or 'the output'}: {error.strerror or error}")
        return FAILED
    except Exception as error:
        text = str(error).splitlines()
        why = text[0][:200] if text else type(error).__name__
        say(f"a fault of this program: {why}. What it was doing is in {written_down(error)}")
        return FAILED
    return 0


def say(text: str) -> None:
    """One line on stderr, made safe to show."""
    with contextlib.suppress(OSError, ValueError, AttributeError):
        sys.stderr.write(f"ordolex: {visible_text(text)}\n")
        sys.stderr.flush()


def _forget(stream: object) -> None:
    """So that the interpreter does not try to write the rest at its end."""
    with contextlib.suppress(OSError, ValueError, AttributeError):
        nowhere = os.open(os.devnull, os.O_WRONLY)
        os.dup2(nowhere, stream.fileno())  # type: ignore[attr-defined]
