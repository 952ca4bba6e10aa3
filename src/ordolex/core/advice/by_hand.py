"""Tests that a technician makes by hand, and what each outcome speaks for and against, in nats."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class Outcome:
    """`weighs`: name of a cause → how much likelier its odds become, as a natural logarithm; negative for less."""

    words: str
    weighs: Mapping[str, float]


@dataclass(frozen=True, slots=True)
class HandTest:
    """`words` say what to do; `short` names it in what it speaks for or against."""

    name: str
    words: str
    short: str
    outcomes: tuple[Outcome, ...]


_ALL = (
    HandTest("voltage", "Measure the idle voltage between what the device sends on and ground", "idle voltage", (
        Outcome("-3 to -15 V", {"inverted": -2.5, "floating": -3, "off": -3, "crossed": -1}),
        Outcome("+3 to +5.5 V", {"inverted": 2.5, "floating": -2, "off": -2, "crossed": 0.5}),
        Outcome("more than +5.5 V", {"inverted": 3, "floating": -2, "off": -2}),
        Outcome("about 0 V, or it wanders", {"floating": 3, "off": 2, "crossed": 1.5, "broken": 1, "inverted": -1}),
    )),
    HandTest("loop", "Join TXD and RXD at the far plug, then Ctrl+L in Talk sends a pattern", "loop test", (
        Outcome("the pattern came back whole", {"broken": -4, "overrun": -1, "missing": -1, "clock": -0.5}),
        Outcome("it came back with faults", {"broken": 2, "missing": 1, "overrun": 1, "clock": 1.5}),
        Outcome("nothing came back", {"broken": 3.5}),
    )),
    HandTest("cross", "Swap the two data wires (TXD and RXD, or A and B)", "data wires swapped", (
        Outcome("it answers now", {"crossed": 5, "inverted": 2}),
        Outcome("still nothing", {"crossed": -3}),
        Outcome("what comes is as bad as before", {"inverted": -2, "crossed": -3}),
    )),
    HandTest("lamp", "Look at the device: power lamp, display, a lamp for data", "its lamps", (
        Outcome("no lamp, no display", {"off": 4}),
        Outcome("it has power; no lamp for data blinks", {"off": -3, "crossed": 1, "broken": 1}),
        Outcome("its data lamp blinks when asked", {"off": -4, "broken": -2.5, "crossed": -2, "rate": 1,
                                                    "other line end": 1, "address": 1}),
    )),
    HandTest("line end", "Ctrl+N in Talk: the next line end, and ask again", "another line end", (
        Outcome("it answers now", {"other line end": 6}),
        Outcome("all of them tried, still nothing", {"other line end": -4}),
    )),
    HandTest("match", "Match (F4) listens, asks, and reasons", "match", (
        Outcome("it found other settings", {"rate": 4, "parity": 2}),
        Outcome("it found nothing", {"rate": -1.5, "off": 0.7, "crossed": 0.7, "broken": 0.7, "asked": -6,
                                     "other line end": -1, "other question": 1.5}),
    )),
    HandTest("manual", "Ask as its manual says: its protocol, its unit number", "asked as its manual says", (
        Outcome("it answers now", {"other question": 6}),
        Outcome("still nothing", {"other question": -3}),
    )),
    HandTest("server", "Look at the server's page or console for that port", "the server's own page", (
        Outcome("it is set otherwise than the device", {"server": 6}),
        Outcome("it is set as the device is, and bytes come in", {"server": -4}),
    )),
    HandTest("two stop bits", "Try two stop bits, then a lower rate at both ends", "two stop bits, lower rate", (
        Outcome("it is better", {"clock": 3}),
        Outcome("it is the same", {"clock": -2, "rate": 0.7}),
    )),
    HandTest("lower rate", "Ask for the same long answer at a lower rate and compare the lengths", "lower rate", (
        Outcome("it is whole there", {"overrun": 2.5, "missing": 2.5, "clock": 0.5}),
        Outcome("as much is missing", {"overrun": -2.5, "missing": -2}),
    )),
    HandTest("unplug", "Pull the device's plug and watch what still comes", "plug pulled", (
        Outcome("the same still comes", {"floating": 4, "two answers": -3, "two sources": -1, "rate": -3,
                                         "parity": -3, "inverted": -3}),
        Outcome("it stops", {"floating": -3}),
    )),
    HandTest("alone", "Ask one address at a time, with all other devices off the bus", "alone on the bus", (
        Outcome("it is right then", {"two answers": 4, "two sources": 3, "address": 1}),
        Outcome("it is the same", {"two answers": -3, "two sources": -3}),
    )),
    HandTest("address", "Scan the units (n in Set), or read the address on the device", "address", (
        Outcome("it has another address", {"address": 5}),
        Outcome("the address is right", {"address": -4}),
    )),
    HandTest("handshake", "Set flow control to none (Ctrl+G), or tie RTS to CTS at the device", "no handshake", (
        Outcome("it answers now", {"handshake": 5}),
        Outcome("still nothing", {"handshake": -3}),
    )),
    HandTest("echo", "Turn one of the two echoes off", "one echo off", (
        Outcome("each character comes once", {"doubled": 4}),
        Outcome("still twice", {"doubled": -2, "two answers": 1}),
    )),
    HandTest("bytes", "Ctrl+T in Talk shows the bytes; Ctrl+D the screen that a device draws", "the bytes", (
        Outcome("1b 5b … among them", {"escapes": 4}),
        Outcome("0e among them", {"charset": 3}),
        Outcome("0a or 0d alone at the ends", {"line end": 4}),
        Outcome("none of these", {"escapes": -3, "charset": -1, "line end": -3}),
    )),
    HandTest("pause", "Wait for a pause, and look at what comes after it", "after a pause", (
        Outcome("it is right from there on", {"joined late": 4, "half": 1.5}),
        Outcome("it is as bad", {"joined late": -3}),
        Outcome("a piece of another message is in it", {"two sources": 3}),
    )),
    HandTest("ask", "Ask it something in Talk (F5)", "asked", (
        Outcome("it answers", {"asked": 6}),
        Outcome("still nothing", {"asked": -3}),
    )),
    HandTest("longer wait", "Ask again, and wait longer", "longer wait", (
        Outcome("the rest comes", {"half": 4}),
        Outcome("it ends there", {"half": -2, "missing": 1}),
    )),
    HandTest("wider", "Make the window wider, or look in Keep (F8)", "wider window", (
        Outcome("the lines are whole", {"long lines": 4}),
        Outcome("they end as before", {"long lines": -3, "half": 1}),
    )),
)  # fmt: skip
HAND_TESTS = {test.name: test for test in _ALL}
"""All of them by name."""
