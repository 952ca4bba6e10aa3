"""What Linux really sets on a serial port, and what waits in it: termios2 and a few queries of the driver.

The system takes a rate that the UART cannot do without a word, and stays at another; so what was set is read back
(asm-generic/termbits.h, struct termios2; ioctl_tty(2)). On other systems nothing is known, and None says so.
"""

from __future__ import annotations

import struct
import sys

_TCGETS2, _TCSETS2, _TIOCOUTQ, _TIOCGICOUNT = 0x802C542A, 0x402C542B, 0x5411, 0x545D
_CBAUD, _BOTHER = 0o10017, 0o10000
_CMSPAR = 0o10000000000 if sys.platform.startswith("linux") else 0
_TERMIOS2 = struct.Struct("4I B 19s 2I")
_NEAR = 0.03  # a divisor that is not whole gives a rate that is a little off, and receivers bear that


def rate_in_force(fd: int) -> int | None:
    """The rate at which the port sends, in bit/s; None where the system does not tell."""
    if not sys.platform.startswith("linux"):
        return None
    import fcntl

    buffer = bytearray(_TERMIOS2.size)
    try:
        fcntl.ioctl(fd, _TCGETS2, buffer)
    except OSError:
        return None
    return int(_TERMIOS2.unpack(bytes(buffer))[-1])


def format_in_force(fd: int) -> tuple[int, str, int]:
    """Data bits, parity as the letter N, E, O, M or S, stop bits, as the port has them. A driver puts back what
    its chip cannot do (IEEE 1003.1, 11.2.4 Control Modes: CSIZE, PARENB, PARODD, CSTOPB; on Linux CMSPAR too)."""
    import termios

    flags = termios.tcgetattr(fd)[2]
    bits = {termios.CS5: 5, termios.CS6: 6, termios.CS7: 7, termios.CS8: 8}[flags & termios.CSIZE]
    odd, fixed = flags & termios.PARODD, flags & _CMSPAR
    letter = ("M" if odd else "S") if fixed else ("O" if odd else "E")
    return bits, letter if flags & termios.PARENB else "N", 2 if flags & termios.CSTOPB else 1


def settings_of_terminal(fd: int) -> tuple[int, int, int, int]:
    """(input modes, control modes, local modes, rate in bit/s) of a terminal, of a pseudo-terminal from either side; a
    rate of 0 is a hang-up (IEEE 1003.1, 11.1.1.10). Raises OSError."""
    import fcntl

    if sys.platform.startswith("linux"):
        raw = _TERMIOS2.unpack(fcntl.ioctl(fd, _TCGETS2, bytes(_TERMIOS2.size)))
        return raw[0], raw[2], raw[3], raw[7]
    import termios

    flags = termios.tcgetattr(fd)
    return flags[0], flags[2], flags[3], int(flags[5])


def set_rate_of_terminal(fd: int, rate: int) -> None:
    """Any whole number; one that has a constant by that (asm-generic/termbits.h), so that every program can read it.
    Raises OSError."""
    import fcntl
    import termios

    raw = list(_TERMIOS2.unpack(fcntl.ioctl(fd, _TCGETS2, bytes(_TERMIOS2.size))))
    raw[2] = raw[2] & ~_CBAUD | getattr(termios, f"B{rate}", _BOTHER)
    raw[6] = raw[7] = rate
    fcntl.ioctl(fd, _TCSETS2, _TERMIOS2.pack(*raw))


def is_another_rate(wanted: int, found: int | None) -> bool:
    """Whether the port is not at the rate that was wanted, by more than receivers bear."""
    return found is not None and abs(found - wanted) > _NEAR * wanted


def waiting_out(fd: int) -> int:
    """Bytes that the system has taken and that have not gone out; 0 where it does not tell."""
    try:
        import fcntl

        return int.from_bytes(fcntl.ioctl(fd, _TIOCOUTQ, bytes(4)), sys.byteorder)
    except (ImportError, OSError):
        return 0


def discard_waiting(fd: int) -> None:
    """Throws away what has not gone out: closing a port that is held back would wait for it, up to half a minute."""
    try:
        import termios

        termios.tcflush(fd, termios.TCOFLUSH)
    except (ImportError, OSError, ValueError):
        return
    except Exception as error:  # termios.error is no OSError
        if type(error).__name__ != "error":
            raise


def mark_errors(fd: int) -> None:
    """Asks for each error in its place in the bytes (IEEE 1003.1, 11.2.2 Input Modes: PARMRK, INPCK)."""
    import termios

    attributes = termios.tcgetattr(fd)
    attributes[0] |= termios.PARMRK | termios.INPCK
    attributes[0] &= ~(termios.IGNPAR | termios.IGNBRK | termios.BRKINT | termios.ISTRIP)
    termios.tcsetattr(fd, termios.TCSANOW, attributes)


def marks_errors(fd: int) -> bool:
    """Whether the bytes that are read have marks in them."""
    import termios

    wanted = termios.PARMRK | termios.INPCK
    return bool(termios.tcgetattr(fd)[0] & wanted == wanted)
