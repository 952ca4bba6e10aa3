"""What the command line owes whoever called it, whatever goes wrong: one line, an exit status, and no traceback."""

from __future__ import annotations

import contextlib
import os
import sys
from collections.abc import Callable

from ordolex.core.text.visible import visible_text
from ordolex.io.own.fault_log import written_down

FAILED = 1


def run_plainly(work: Callable[[], object]) -> None:
    """Runs the program; ends with its exit status."""
    for stream in (sys.stdout, sys.stderr):
        if stream is not None and hasattr(stream, "reconfigure"):
            stream.reconfigure(errors="backslashreplace")  # a terminal or file whose character set lacks a sign
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
    sys.exit(status)


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
