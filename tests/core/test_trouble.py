"""What Match says when the settings are not what is wrong, on the wire model, with talk not used to set it up."""

from __future__ import annotations

import random
from collections.abc import Callable

import pytest

from ordolex.core.line.notation import read_line
from ordolex.core.match.capture import Capture, Flags, starts_from_times
from ordolex.core.match.clean import after_joining, reads_clean
from ordolex.core.match.trouble import held_low, spoilt_by, stretches
from ordolex.core.uart.levels import Transmitter
from ordolex.core.uart.line import Line
from ordolex.core.uart.receiver import Receiver

Say = Callable[[int], bytes]


def heard(
    says: Say,
    line: str = "9600 8N1",
    *,
    rival: Say | None = None,
    noise: float = 0.0,
    seed: int = 1,
    join_s: float = 0.0,
) -> Capture:
    """Six seconds of a device that talks twice a second, received at its own settings from `join_s` on."""
    rng, settings = random.Random(seed), read_line(line).settings
    wire = Line(Transmitter(settings), Receiver(settings))
    if rival is not None:
        wire.share(Transmitter(settings, clock=0.997))
    if noise:
        wire.sender.flip = lambda: rng.random() < noise
    got, now, said, answered, next_s, rival_s = [], 0.0, 0, 0, 0.0, 0.1
    while now < 6.0:
        if now >= next_s:
            said += 1
            wire.send(says(said), now)
            next_s = now + 0.5
        if rival is not None and now >= rival_s:
            answered += 1
            wire.say_between(rival(answered), now)
            rival_s = now + rng.uniform(0.05, 0.2)
        now += 0.005
        got += wire.advance(now)
    got = [character for character in got if character.at_s >= join_s]
    flags = tuple(Flags(c.framing, c.parity, c.broken) for c in got)
    times = [c.at_s for c in got]
    return Capture(settings, bytes(c.byte for c in got), flags, starts_from_times(times, settings), tuple(times))


def weir(count: int) -> bytes:
    return f"WEIR 2 LEVEL {1.2 + count % 7 / 100:.3f} M FLOW {40 + count % 9} L/S\r\n".encode()


def fans(count: int) -> bytes:
    return f"FAN {count % 3} TEMP {21 + count % 5} SPEED {800 + 3 * count} OK\r\n".encode()


@pytest.mark.parametrize("line", ["9600 8N1", "2400 8N1", "4800 7E1"])
def test_two_that_speak_into_each_other_are_named_with_what_each_says(line: str) -> None:
    words = spoilt_by(heard(weir, line, rival=fans, seed=5))
    assert words.startswith("two senders at once") and line in words
    assert "Take one device off" in words


@pytest.mark.parametrize(
    "says",
    [
        weir,
        lambda count: f"Wärme {20 + count % 5} °C, Kühlung läuft, Störung {count % 3}\r\n".encode("latin-1"),
        lambda count: f"Насос {count} работает\r\n".encode("cp866"),
        lambda count: b"\x0e" + bytes(b + 128 if b > 96 else b for b in weir(count)),
        lambda count: f"\x02{count:04} 12.50 kWh\x03\x2a\r\n".encode(),
    ],
    ids=["text", "latin-1", "cp866", "shifted", "framed"],
)
def test_one_alone_is_not_called_two(says: Say) -> None:
    assert spoilt_by(heard(says)) == ""


@pytest.mark.parametrize("seed", [3, 4])
def test_noise_is_among_what_is_named(seed: int) -> None:
    """A bit that is turned over can put the receiver out of step to the end of a message, as a second sender does."""
    words = spoilt_by(heard(weir, noise=0.004, seed=seed))
    assert "or noise" in words and "9600 8N1" in words


def test_single_spoilt_characters_are_called_noise_alone() -> None:
    whole = heard(weir)
    here_and_there = tuple(Flags(parity=at % 37 == 5) for at in range(len(whole.data)))
    words = spoilt_by(Capture(whole.heard_at, whole.data, here_and_there, whole.starts, whole.times_s))
    assert words.startswith("noise: at 9600 8N1 it reads")


def test_a_port_that_tells_no_line_errors_cannot_show_it() -> None:
    both = heard(weir, rival=fans, seed=5)
    assert spoilt_by(Capture(both.heard_at, both.data, None)) == ""


def test_what_is_out_of_step_at_first_is_clean_from_the_first_rest_on() -> None:
    whole = heard(weir)
    spoilt = tuple(Flags(framing=at < 9) for at in range(len(whole.data)))
    joined = Capture(whole.heard_at, whole.data, spoilt, whole.starts, whole.times_s)
    assert reads_clean(joined) == ""
    rest = after_joining(joined)
    assert rest is not None and rest.data.startswith(b"WEIR 2") and reads_clean(rest)
    late = tuple(Flags(framing=at == 200) for at in range(len(whole.data)))
    assert after_joining(Capture(whole.heard_at, whole.data, late, whole.starts, whole.times_s)) is None


def test_a_line_that_is_held_gives_breaks_and_nothing_else() -> None:
    silent = Capture(read_line("9600 8N1").settings, b"", ())
    assert "held low" in held_low(1, 2, [silent])
    assert held_low(0, 0, [silent]) == "" == held_low(2, 9, [silent])
    assert held_low(1, 2, [heard(weir)]) == ""


def test_stretches_count_every_character_once() -> None:
    both = heard(weir, rival=fans, seed=8)
    cut = stretches(both)
    assert sum(map(len, cut.read)) + sum(cut.spoilt) == cut.count == len(both.data)
