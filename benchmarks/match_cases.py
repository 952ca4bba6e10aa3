"""Random cases for the inference of line settings: a sender, a listener, what passes, and what the listener gets."""

from __future__ import annotations

import random
from dataclasses import dataclass

from ordolex.core.line.settings import LineSettings, Parity
from ordolex.core.match.capture import Capture, Flags, starts_from_times
from ordolex.core.protocols.modbus.crc import crc16
from ordolex.core.text.nmea0183 import sentence
from ordolex.core.uart.levels import Transmitter
from ordolex.core.uart.receiver import Receiver, Resync

_CLOCK_S = 0.001  # times of arrival are known to a whole millisecond
RATES = (300, 600, 1200, 2400, 4800, 9600, 14400, 19200, 28800, 38400, 57600, 115200)
PLACES = ("raceway 1", "raceway 2", "intake", "pump house", "hatching room", "blower B", "feeder 3", "spring")
WORDS = ("oxygen", "temp", "level", "flow", "alarm", "running", "stopped", "low", "high", "door open", "filter", "ok")


def report(rng: random.Random) -> bytes:
    out = b""
    while len(out) < 400:
        number = f"{rng.uniform(0, 30):.{rng.randint(0, 2)}f}"
        row = rng.choice(
            (
                f"{rng.choice(PLACES)} {rng.choice(WORDS)} {number}",
                f"{rng.randint(0, 23):02}:{rng.randint(0, 59):02}:{rng.randint(0, 59):02} {rng.choice(WORDS).upper()}",
                f"{rng.choice(WORDS)}={number}; {rng.choice(WORDS)}={rng.randint(0, 999)}",
                f"{rng.choice(PLACES).title()}: {rng.choice(WORDS)}, {number} {rng.choice(('mg/l', 'C', 'm3/h', '%'))}",
            )
        )
        out += row.encode() + rng.choice((b"\r\n", b"\r\n", b"\n", b"\r"))
    return out


def sentences(rng: random.Random) -> bytes:
    out = b""
    while len(out) < 400:
        body = f"{rng.choice(('II', 'WI', 'YX'))}XDR,C,{rng.uniform(2, 19):.1f},C,T{rng.randint(1, 9)}"
        if rng.random() < 0.4:
            body = f"{rng.choice(('II', 'YX'))}MTW,{rng.uniform(2, 19):.1f},C"
        out += sentence(body.encode())
    return out


def frames(rng: random.Random) -> bytes:
    out = b""
    unit = rng.randint(1, 30)
    while len(out) < 400:
        if rng.random() < 0.5:
            body = bytes([unit, rng.choice((3, 4)), 0, rng.randint(0, 90), 0, rng.randint(1, 10)])
        else:
            values = b"".join(rng.randint(0, 4000).to_bytes(2, "big") for _ in range(rng.randint(1, 8)))
            body = bytes([unit, rng.choice((3, 4)), len(values)]) + values
        out += body + crc16(body).to_bytes(2, "little")
    return out


def prompts(rng: random.Random) -> bytes:
    out = b""
    while len(out) < 400:
        out += rng.choice(
            (b"OK\r\n", b"ERROR\r\n", b"feeder> ", b"login: ", b"Enter choice (1-6): ", b"\r\nREADY\r\n", b"AT+CSQ\r\n",
             b"+CSQ: 17,99\r\n\r\nOK\r\n", b"menu> status\r\n", b"Password: ", b"?\r\n", b"1) Network  2) Clock\r\n")
        )  # fmt: skip
    return out


KINDS = {"reports": report, "sentences": sentences, "frames": frames, "prompts": prompts}


@dataclass(frozen=True)
class Case:
    sender: LineSettings
    inverted: bool
    clock: float
    gap_bits: float
    kind: str
    text: bytes
    heard_at: LineSettings
    habit: Resync
    wrong: float
    capture: Capture
    """With flags and times of arrival."""

    def reads_alike(self, settings: LineSettings, inverted: bool) -> bool:
        """Whether a receiver at these settings would get byte for byte what was sent."""
        if inverted != self.inverted:
            return False
        probe = self.text[:60]
        out = Transmitter(self.sender, inverted=self.inverted, gap_bits=self.gap_bits)
        edges = out.send(probe, 0.0)
        if self.inverted:  # the receiver of an inverted line gets the levels put right
            edges = [edge._replace(level=edge.level ^ 1) for edge in edges]
        receiver = Receiver(settings)
        receiver.receive(edges)
        return bytes(character.byte for character in receiver.advance(1e9)) == probe


def random_case(rng: random.Random, *, same_rate: bool, wrong: float | None = None) -> Case:
    kind = rng.choice(list(KINDS))
    data_bits = 8 if kind == "frames" else rng.choice((7, 8))
    sender = LineSettings(rng.choice(RATES), data_bits, rng.choice(list(Parity)), float(rng.choice((1, 2))))
    above = [rate for rate in RATES if 1 <= rate / sender.baud <= 10]
    listener = sender.baud if same_rate else rng.choice(above)
    return make_case(
        rng, sender, LineSettings(listener), kind,
        inverted=rng.random() < 0.25, wrong=rng.choice((0.0, 0.02)) if wrong is None else wrong,
    )  # fmt: skip


def make_case(
    rng: random.Random, sender: LineSettings, heard_at: LineSettings, kind: str, *, inverted: bool, wrong: float
) -> Case:
    text = KINDS[kind](rng)
    gap_bits = rng.choice((0.0, 0.0, 0.0, 1.0, rng.uniform(0.2, 20)))
    whole = [text[at : at + 21] for at in range(0, len(text), 21)] if kind == "frames" else text.splitlines(True)
    return as_heard(
        rng, sender, heard_at, whole, inverted=inverted, wrong=wrong, gap_bits=gap_bits,
        burst=1 if kind == "frames" else rng.randint(1, 6), kind=kind,
    )  # fmt: skip


def as_heard(
    rng: random.Random, sender: LineSettings, heard_at: LineSettings, messages: list[bytes], *,
    inverted: bool, wrong: float, gap_bits: float, burst: int, kind: str,
) -> Case:  # fmt: skip
    """Messages sent a few (`burst`) at a time, as a listener gets them who comes in the middle of the talk."""
    clock = rng.uniform(0.98, 1.02)
    habit = rng.choice((Resync.EDGE, Resync.CLASSIC))
    out = Transmitter(sender, inverted=inverted, clock=clock, gap_bits=gap_bits)
    receiver = Receiver(heard_at, resync=habit, idle_level=out.idle_level)
    at = 1.0
    for place in range(0, len(messages), burst):
        receiver.receive(out.send(b"".join(messages[place : place + burst]), at))
        at = out.free_at_s + (40 / sender.baud if burst == 1 else rng.uniform(0.1, 0.6))
    got = receiver.advance(at + 10)
    got = got[rng.randrange(max(1, len(got) // 3)) :]  # at any moment of its first third
    data, flags, times = bytearray(), [], []
    for character in got:
        byte, flag = character.byte, Flags(character.framing, character.parity, character.broken)
        if wrong and rng.random() < wrong:
            byte, flag = rng.randrange(256), Flags(rng.random() < 0.5)
        data.append(byte)
        flags.append(flag)
        times.append(character.at_s)
    starts = starts_from_times(times, heard_at)
    whole_ms = tuple(round(time, 3) for time in times)
    capture = Capture(heard_at, bytes(data), tuple(flags), starts, whole_ms, _CLOCK_S / 12**0.5)
    return Case(sender, inverted, clock, gap_bits, kind, b"".join(messages), heard_at, habit, wrong, capture)
