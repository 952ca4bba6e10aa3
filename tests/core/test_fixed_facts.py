"""What a standard or a promise fixes to a number, held where a slip of one would go unnoticed elsewhere."""

from __future__ import annotations

from ipaddress import IPv4Address, IPv4Network

import pytest

from ordolex.core.device.form import _place_fault
from ordolex.core.device.ratios import compare, read_ratio
from ordolex.core.link.ladder import TABLE, Happening, Rung
from ordolex.core.netserial.telnet import Telnet
from ordolex.core.protocols import meter
from ordolex.core.protocols.modbus import pdu
from ordolex.core.protocols.modbus.pdu import ModbusError, read_reply
from ordolex.core.tables.complete import complete
from ordolex.core.tables.table import Table

LADDER = """
SEEN        present  present  held     heard    clear    proven
GONE        absent   absent   absent   absent   absent   absent
OPENED      held     held     held     held     held     held
RELEASED    absent   present  present  present  present  present
BYTES       absent   present  heard    heard    clear    proven
CLEAN       absent   present  held     clear    clear    proven
UNCLEAN     absent   present  held     heard    heard    heard
RIGHT       absent   present  held     heard    proven   proven
WRONG       absent   present  held     heard    clear    clear
UNANSWERED  absent   present  held     held     held     held
QUIET       absent   present  held     held     held     held
RETUNED     absent   present  held     held     held     held
"""
"""What happens to a link that stands at each of the six rungs, as docs/design.md tells it."""


def test_every_pair_of_the_ladder_leads_where_the_design_says() -> None:
    rows = [line.split() for line in LADDER.strip().splitlines()]
    told = {(Rung(at), Happening[row[0]]): Rung[word.upper()] for row in rows for at, word in enumerate(row[1:])}
    assert told == TABLE


def test_one_modbus_request_carries_as_much_as_the_standard_allows_and_no_more() -> None:
    """MODBUS Application Protocol V1.1b3: 6.1, 6.3, 6.11, 6.12, 6.17."""
    assert len(pdu.write_registers(0, [0] * 123)) == 6 + 246 and len(pdu.write_coils(0, [True] * 1968)) == 6 + 246
    for too_much in (
        lambda: pdu.write_registers(0, [0] * 124), lambda: pdu.write_coils(0, [True] * 1969),
        lambda: pdu.read_registers(3, 0, 126), lambda: pdu.read_bits(1, 0, 2001),
        lambda: pdu.read_write(0, 1, 0, [0] * 122), lambda: pdu.read_registers(4, 65535, 2),
    ):  # fmt: skip
        with pytest.raises(ModbusError):
            too_much()
    pdu.read_registers(3, 0, 125), pdu.read_bits(1, 0, 2000), pdu.read_write(0, 1, 0, [0] * 121)


def test_a_diagnostic_must_give_back_what_was_sent() -> None:
    """Function 8, sub-function 0 (6.8)."""
    asked = pdu.diagnostics(0, 0xA537)
    assert read_reply(asked, asked).data == b"\xa5\x37"
    for wrong in (b"\x08\0\0\xa5\x36", b"\x08\0\1\xa5\x37"):
        with pytest.raises(ModbusError):
            read_reply(asked, wrong)


@pytest.mark.parametrize(("letter", "mode", "baud"), [
    ("0", "C", 300), ("1", "C", 600), ("2", "C", 1200), ("3", "C", 2400), ("4", "C", 4800), ("5", "C", 9600),
    ("6", "C", 19200), ("A", "B", 600), ("B", "B", 1200), ("C", "B", 2400), ("D", "B", 4800), ("E", "B", 9600),
    ("F", "B", 19200), ("G", "A", 300), ("9", "A", 300), ("?", "A", 300),
])  # fmt: skip
def test_a_meters_letter_tells_its_rate(letter: str, mode: str, baud: int) -> None:
    """IEC 62056-21, 6.3.14 item 13."""
    found = meter.read_identification(f"/BRK{letter}name\r\n".encode())
    assert found is not None and (found.mode, found.baud) == (mode, baud)


def test_telnet_puts_a_nul_behind_cr_and_takes_it_away() -> None:
    """RFC 854, the network virtual terminal's printer: CR NUL for CR alone."""
    telnet = Telnet(frozenset())
    telnet.send(b"a\rb\xff")
    assert telnet.take_output().endswith(b"a\r\0b\xff\xff")
    data = b"".join(getattr(event, "data", b"") for event in telnet.receive(b"x\r\0y\r\nz\xff\xff"))
    assert data == b"x\ry\r\nz\xff"


@pytest.mark.parametrize(("address", "network", "words"), [
    ("192.0.2.3", "192.0.2.0/30", "broadcast"), ("192.0.2.0", "192.0.2.0/30", "name of the network"),
    ("192.0.2.1", "192.0.2.0/30", ""), ("192.0.2.2", "192.0.2.0/30", ""), ("192.0.2.1", "192.0.2.0/31", ""),
    ("192.0.2.0", "192.0.2.0/31", ""), ("192.0.2.7", "192.0.2.7/32", ""),
])  # fmt: skip
def test_the_ends_of_small_networks(address: str, network: str, words: str) -> None:
    """RFC 919, 7 and RFC 3021: a /31 has neither a name nor a broadcast address."""
    fault = _place_fault(IPv4Address(address), IPv4Network(network))
    assert (words in fault) if words else not fault


@pytest.mark.parametrize(("numbers", "missing"), [
    ((1, 3, 4, 5), (2,)), ((1, 2, 3, 5), (4,)), ((7, 8, 10, 13), (9, 11, 12)), ((1, 2, 3), ()),
])  # fmt: skip
def test_every_gap_is_named_from_the_first_to_the_last(numbers: tuple[int, ...], missing: tuple[int, ...]) -> None:
    assert complete(Table("t", ("n", "x"), tuple((str(n), "a") for n in numbers))).missing == missing


@pytest.mark.parametrize(
    ("panel", "fits"), [(1.019, True), (1.0199, True), (1.021, False), (0.981, True), (1.05, False), (0.96, False)]
)
def test_a_reading_agrees_within_two_percent(panel: float, fits: bool) -> None:
    one = read_ratio("1/1")
    assert compare(1.0, panel, one, one).fits is fits
