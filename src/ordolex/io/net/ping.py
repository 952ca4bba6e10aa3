"""Round trips to a host: by ICMP where the system lets us, else by its own ping; and by TCP, which needs no rights."""

from __future__ import annotations

import asyncio
import errno
import os
import re
import shutil
from dataclasses import dataclass

from ordolex.io.system.clock import mono_s


@dataclass(frozen=True, slots=True)
class Pinged:
    """`trips_ms` has None for one without an answer; `how` the way that was taken, `why` why there is none at all."""

    host: str
    how: str
    trips_ms: tuple[float | None, ...]
    why: str = ""

    @property
    def answered(self) -> int:
        return sum(trip is not None for trip in self.trips_ms)

    @property
    def words(self) -> str:
        if not self.trips_ms:
            return f"not asked: {self.why}"
        good = sorted(trip for trip in self.trips_ms if trip is not None)
        if not good:
            return f"no answer to {len(self.trips_ms)} ({self.how})"
        return f"{len(good)} of {len(self.trips_ms)} answered, {good[len(good) // 2]:.1f} ms at the median ({self.how})"


async def ping(host: str, count: int = 3, timeout_s: float = 1.0, pause_s: float = 0.2) -> Pinged:
    """By ICMP (RFC 792). Never raises: what hinders it is in the answer."""
    import icmplib

    why = ""
    for privileged in (False, True):
        try:
            done = await icmplib.async_ping(host, count, pause_s, timeout_s, privileged=privileged)
        except (icmplib.SocketPermissionError, PermissionError):
            why = "the system lets ordinary programs send no ICMP"
            continue
        except (icmplib.NameLookupError, UnicodeError):
            return Pinged(host, "ICMP", (), "the name is not known")
        except (icmplib.ICMPLibError, OSError) as error:
            return Pinged(host, "ICMP", (None,) * count, str(error))
        trips: tuple[float | None, ...] = tuple(done.rtts)
        return Pinged(host, "ICMP", trips + (None,) * (count - len(trips)))
    return await _by_command(host, count, timeout_s, why)


async def _by_command(host: str, count: int, timeout_s: float, why: str) -> Pinged:
    program = shutil.which("ping")
    if program is None:
        return Pinged(host, "ICMP", (), f"{why}, and there is no ping command")
    flags = ["-n", str(count)] if os.name == "nt" else ["-c", str(count)]
    running = await asyncio.create_subprocess_exec(
        program, *flags, host, stdout=asyncio.subprocess.PIPE, stderr=asyncio.subprocess.DEVNULL
    )
    try:
        async with asyncio.timeout(count * (timeout_s + 1) + 2):
            out, _ = await running.communicate()
    except TimeoutError:
        running.kill()
        await running.wait()
        return Pinged(host, "the system's ping", (None,) * count)
    return Pinged(host, "the system's ping", read_ping(out.decode("utf-8", "replace"), count))


def read_ping(text: str, count: int) -> tuple[float | None, ...]:
    """Times in what a ping command prints, `time=0.42 ms`, `time<1ms`, in any language that keeps the figure."""
    times: list[float | None] = [
        float(number.replace(",", ".")) for number in re.findall(r"[=<]\s?(\d+(?:[.,]\d+)?)\s?ms", text)
    ]
    return tuple((times + [None] * count)[:count])


@dataclass(frozen=True, slots=True)
class Reached:
    """How a TCP port took a call: answered, refused, silent, or unreachable."""

    state: str
    ms: float | None
    words: str


async def reach(host: str, port: int, timeout_s: float = 2.0) -> Reached:
    """Opens a connection and closes it; nothing is sent. Never raises."""
    began_s = mono_s()
    where = f"{host}:{port}"
    try:
        async with asyncio.timeout(timeout_s):
            _, writer = await asyncio.open_connection(host, port)
    except TimeoutError:
        words = f"{where} is silent for {timeout_s:g} s: no host there, or something drops what is sent to it"
        return Reached("silent", None, words)
    except UnicodeError:
        return Reached("unreachable", None, f"{where}: the name is not known")
    except ConnectionRefusedError:
        ms = (mono_s() - began_s) * 1000
        return Reached(
            "refused", ms, f"{where} refused in {ms:.1f} ms: the host is there, and nothing listens at this port"
        )
    except OSError as error:
        unreachable = error.errno in (errno.EHOSTUNREACH, errno.ENETUNREACH, errno.EHOSTDOWN)
        why = "no way leads there" if unreachable else os.strerror(error.errno) if error.errno else str(error)
        return Reached("unreachable", None, f"{where} is unreachable: {why}")
    ms = (mono_s() - began_s) * 1000
    writer.close()
    return Reached("answered", ms, f"{where} took the call in {ms:.1f} ms; what is behind it that does not tell")
