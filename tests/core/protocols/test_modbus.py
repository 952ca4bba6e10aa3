"""Modbus against the examples printed in its specifications, and against ourselves with bytes cut and spoilt."""

from __future__ import annotations

import random
import struct

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from ordolex.core.protocols.modbus import pdu
from ordolex.core.protocols.modbus.address import AddressTrouble, Place, blocks, read_place
from ordolex.core.protocols.modbus.frames import Ascii, Rtu, Tcp, lrc
from ordolex.core.protocols.modbus.pdu import ModbusError, read_reply
from ordolex.core.protocols.modbus.server import Unit
from ordolex.core.protocols.modbus.values import ORDERS, TYPES, ValueTrouble, decode, encode, find_layouts

# request, answer and what the answer holds, as printed in the specification V1.1b3, 6.1 to 6.21
PRINTED = [
    (pdu.read_bits(1, 0x13, 0x13), "01 00 13 00 13", "01 03 CD 6B 05", "bits 1011001111010110101"),
    (pdu.read_bits(2, 0xC4, 0x16), "02 00 C4 00 16", "02 03 AC DB 35", "bits 0011010111011011101011"),
    (pdu.read_registers(3, 0x6B, 3), "03 00 6B 00 03", "03 06 02 2B 00 00 00 64", "registers 555 0 100"),
    (pdu.read_registers(4, 8, 1), "04 00 08 00 01", "04 02 00 0A", "registers 10"),
    (pdu.write_coil(0xAC, True), "05 00 AC FF 00", "05 00 AC FF 00", "done 00 ac ff 00"),
    (pdu.write_register(1, 3), "06 00 01 00 03", "06 00 01 00 03", "done 00 01 00 03"),
    (pdu.event_counter(), "0B", "0B FF FF 01 08", "registers 65535 264"),
    (pdu.diagnostics(0, 0xA537), "08 00 00 A5 37", "08 00 00 A5 37", "registers 42295"),
    (
        pdu.write_coils(0x13, [c == "1" for c in "1011001110"]),
        "0F 00 13 00 0A 02 CD 01", "0F 00 13 00 0A", "done 00 13 00 0a",
    ),
    (pdu.write_registers(1, [10, 0x102]), "10 00 01 00 02 04 00 0A 01 02", "10 00 01 00 02", "done 00 01 00 02"),
    (pdu.mask_write(4, 0xF2, 0x25), "16 00 04 00 F2 00 25", "16 00 04 00 F2 00 25", "done 00 04 00 f2 00 25"),
    (
        pdu.read_write(3, 6, 0xE, [0xFF] * 3),
        "17 00 03 00 06 00 0E 00 03 06 00 FF 00 FF 00 FF",
        "17 0C 00 FE 0A CD 00 01 00 03 00 0D 00 FF", "registers 254 2765 1 3 13 255",
    ),
]  # fmt: skip


@pytest.mark.parametrize(("request_", "printed", "answer", "holds"), PRINTED, ids=[p[1][:2] for p in PRINTED])
def test_the_examples_of_the_specification(request_: bytes, printed: str, answer: str, holds: str) -> None:
    assert request_ == bytes.fromhex(printed)
    reply = bytes.fromhex(answer)
    assert read_reply(request_, reply).words == holds
    assert pdu.request_length(request_) == len(request_) and pdu.reply_length(reply) == len(reply)


def test_device_identification_as_printed() -> None:
    request = pdu.device_id()
    assert request == bytes.fromhex("2B 0E 01 00")
    text = [b"Company identification", b"Product code XX", b"V2.11"]
    objects = b"".join(bytes([n, len(one)]) + one for n, one in enumerate(text))
    reply = read_reply(request, bytes.fromhex("2B 0E 01 01 00 00 03") + objects)
    assert reply.objects == dict(enumerate(text)) and reply.more == 0


def test_exceptions_are_answers_and_misfits_are_none() -> None:
    asked = pdu.read_bits(1, 0x4A1, 1)
    assert read_reply(asked, b"\x81\x02").words == "exception 2: it has no such address"
    for wrong in (b"", b"\x03\x02\0\0", b"\x01\x02\0\0", b"\x01\x01", b"\x82\x02"):
        with pytest.raises(ModbusError):
            read_reply(asked, wrong)
    with pytest.raises(ModbusError, match="1 to 125"):
        pdu.read_registers(3, 0, 126)
    with pytest.raises(ModbusError, match="0 to 65535"):
        pdu.read_registers(3, 65535, 2)


def test_checks_as_published() -> None:
    # serial line guide V1.02, 6.2.2: the CRC of 02 07 is 1241 hex, low byte first on the line
    assert Rtu().wrap(2, b"\x07") == bytes.fromhex("02 07 41 12")
    assert lrc(bytes.fromhex("11 03 00 6B 00 03")) == 0x7E
    assert Ascii().wrap(0x11, bytes.fromhex("03 00 6B 00 03")) == b":1103006B00037E\r\n"
    # Modbus on TCP/IP V1.0b, 3.1.3: header of transaction, protocol 0, length, unit
    assert Tcp().wrap(0xFF, bytes.fromhex("04 00 00 00 01")) == bytes.fromhex("00 01 00 00 00 06 FF 04 00 00 00 01")


REQUESTS = st.one_of(
    st.builds(pdu.read_registers, st.sampled_from([3, 4]), st.integers(0, 90), st.integers(1, 10)),
    st.builds(pdu.read_bits, st.sampled_from([1, 2]), st.integers(0, 50), st.integers(1, 40)),
    st.builds(pdu.write_register, st.integers(0, 99), st.integers(0, 0xFFFF)),
    st.builds(pdu.write_coil, st.integers(0, 99), st.booleans()),
    st.builds(pdu.write_registers, st.integers(0, 90), st.lists(st.integers(0, 0xFFFF), min_size=1, max_size=10)),
    st.builds(pdu.write_coils, st.integers(0, 50), st.lists(st.booleans(), min_size=1, max_size=40)),
    st.builds(pdu.mask_write, st.integers(0, 99), st.integers(0, 0xFFFF), st.integers(0, 0xFFFF)),
    st.builds(pdu.read_write, st.integers(0, 90), st.integers(1, 9), st.integers(0, 90),
              st.lists(st.integers(0, 0xFFFF), min_size=1, max_size=9)),
    st.builds(pdu.device_id, st.sampled_from([1, 2, 3])),
    st.builds(pdu.read_registers, st.just(3), st.integers(150, 200), st.just(1)),
    st.sampled_from([pdu.report_id(), pdu.event_counter()]),
)  # fmt: skip


def unit() -> Unit:
    made = Unit(identity=("Brookmade", "VD-3", "1.4"))
    made.holding = {n: n * 7 for n in range(100)}
    made.input = {n: 1000 + n for n in range(100)}
    made.coils = {n: n % 3 == 0 for n in range(100)}
    made.discrete = {n: n % 2 == 0 for n in range(100)}
    return made


@given(st.sampled_from([Rtu, Ascii, Tcp]), REQUESTS, st.integers(1, 247), st.booleans(), st.data())
@settings(max_examples=300, deadline=None)
def test_an_answer_is_found_at_its_last_byte_and_not_before(
    kind: type[Rtu], request_: bytes, number: int, echo: bool, data: st.DataObject
) -> None:
    framing = kind()
    sent = framing.wrap(number, request_)
    answer = unit().answer(request_)
    there = sent[:2] + b"\0\0" + (len(answer) + 1).to_bytes(2) + bytes([number]) + answer
    if kind is not Tcp:
        framing.echoes = echo
        there = (sent if echo else b"") + kind().wrap(number, answer)
    cut = data.draw(st.integers(0, len(there) - 1))
    assert framing.find(sent, there[:cut]).pdu == b""
    found = framing.find(sent, there)
    assert found.pdu == answer and found.unit == number
    read_reply(request_, found.pdu)


@pytest.mark.parametrize("kind", [Rtu, Ascii])
def test_of_one_in_fifty_bytes_spoilt_no_wrong_value_is_taken(kind: type[Rtu]) -> None:
    """LRC, the weaker check, lets two faults in one frame cancel out; the words of both frames are compared."""
    chance = random.Random(11)
    device = unit()
    framing = kind()
    taken = wrong = 0
    for _ in range(10_000):
        address, count = chance.randrange(80), chance.randint(1, 12)
        request = pdu.read_registers(3, address, count)
        sent = framing.wrap(4, request)
        there = bytearray(framing.wrap(4, device.answer(request)))
        for at in range(len(there)):
            if chance.random() < 1 / 50:
                there[at] ^= chance.randrange(1, 256)
        found = framing.find(sent, bytes(there))
        if not found.pdu:
            assert found.trouble
            continue
        try:
            reply = read_reply(request, found.pdu)
        except ModbusError:
            continue
        taken += 1
        wrong += reply.registers != tuple(n * 7 for n in range(address, address + count))
    assert taken > 2000 and wrong == 0


def test_another_unit_noise_and_broken_answers_are_told_apart() -> None:
    framing, request = Rtu(), pdu.read_registers(3, 0, 2)
    sent = framing.wrap(4, request)
    answer = unit().answer(request)
    assert framing.find(sent, framing.wrap(7, answer)).trouble == "unit 7 answered for unit 4"
    assert framing.find(sent, framing.wrap(4, answer)[:-3]).trouble == "the answer breaks off: 6 of 9 bytes"
    spoilt = framing.wrap(4, answer)[:-1] + b"\0"
    assert framing.find(sent, spoilt).trouble == "its check (CRC) is wrong"
    assert framing.find(sent, b"\xff\0" + framing.wrap(4, answer)).pdu == answer
    assert framing.find(sent, b"").trouble == ""
    tcp = Tcp()
    first, second = tcp.wrap(1, request), tcp.wrap(1, request)
    late = first[:2] + b"\0\0" + (len(answer) + 1).to_bytes(2) + b"\1" + answer
    assert tcp.find(second, late).trouble == "an answer to an earlier request"
    assert tcp.find(second, b"GET / HTTP/1.1\r\n").trouble.startswith("what came is no Modbus/TCP")


def test_a_unit_refuses_in_the_order_of_the_specification() -> None:
    device = unit()
    refused = {
        "2B 0D 01 00": 1, "63": 1, "03 00 00 00 00": 3, "03 00 00 00 7E": 3, "03 00 63 00 02": 2, "05 00 00 12 34": 3,
        "10 00 00 00 02 03 00 00 00": 3, "06 01 00 00 01": 2, "2B 0E 07 00": 3,
    }  # fmt: skip
    for request, code in refused.items():
        asked = bytes.fromhex(request)
        assert device.answer(asked) == bytes([asked[0] | 0x80, code]), request
    assert device.answer(pdu.mask_write(4, 0xF2, 0x25)) == pdu.mask_write(4, 0xF2, 0x25)
    assert device.holding[4] == (28 & 0xF2 | 0x25 & ~0xF2)
    assert read_reply(pdu.diagnostics(13), device.answer(pdu.diagnostics(13))).registers == (9,)
    device.forgets = True
    assert device.answer(pdu.write_register(5, 9)) == pdu.write_register(5, 9) and device.holding[5] == 35


@given(st.sampled_from([t for t in TYPES if t not in ("string", "bits")]), st.sampled_from(ORDERS), st.data())
def test_values_come_back_from_their_registers(type_: str, order: str, data: st.DataObject) -> None:
    registers = tuple(data.draw(st.lists(st.integers(0, 0xFFFF), min_size=TYPES[type_], max_size=TYPES[type_])))
    try:
        value = decode(registers, type_, order)
    except ValueTrouble:
        return
    if value == value:  # no NaN
        assert encode(value, type_, order) == registers or value == 0


def test_orders_texts_and_what_does_not_fit() -> None:
    high, low = struct.unpack(">HH", struct.pack(">f", 123456.0))
    swapped = {"ABCD": (high, low), "CDAB": (low, high)}
    assert all(decode(words, "float32", order) == 123456.0 for order, words in swapped.items())
    assert encode("VD-3", "string", length=3) == (0x5644, 0x2D33, 0) and decode((0x5644, 0x2D33, 0), "string") == "VD-3"
    filled = (0x5644, 0x2D33, 0x2020, 0)
    assert decode(filled, "string") == "VD-3  " and encode("VD-3  ", "string", length=4) == filled
    assert decode((0x1234,), "bcd16") == 1234
    with pytest.raises(ValueTrouble, match="no byte in Latin-1"):
        encode("5 €", "string", length=3)
    for value, type_ in ((70000, "uint16"), (1.5, "int16"), (-1, "uint32"), (12345, "bcd16")):
        with pytest.raises(ValueTrouble):
            encode(value, type_)


@pytest.mark.parametrize("order", ORDERS)
@pytest.mark.parametrize(("type_", "value", "panel"), [("float32", 49.87, 49.9), ("int32", -123456, -123000)])
def test_the_order_of_words_is_found_from_the_front_panel(order: str, type_: str, value: float, panel: float) -> None:
    registers = (7, *encode(value, type_, order), 9)
    best = find_layouts(registers, panel)[0]
    assert (best.at, best.type, best.order) == (1, type_, order)


def test_without_a_panel_a_plausible_float_comes_first() -> None:
    first = find_layouts(encode(21.5, "float32", "CDAB"))[0]
    assert (first.type, first.order, first.value) == ("float32", "CDAB", 21.5)
    assert find_layouts((215,), 21.5)[0].words == "uint16 × 0.1 = 21.5"


def test_both_customs_of_addresses_and_reads_that_take_neighbours_together() -> None:
    for text in ("holding 107", "40108", "400108", "4x0108", "holding 0x6b"):
        assert read_place(text) == Place("holding", 107)
    assert read_place("30001").text == "input 0 (30001 counted from 1)"
    for wrong in ("40000", "50001", "holding 65536", "12"):
        with pytest.raises(AddressTrouble):
            read_place(wrong)
    wanted = [(Place("holding", n), 2) for n in (0, 4, 2, 30, 120, 124)] + [(Place("input", 3), 1)]
    assert [(b.place.address, b.count) for b in blocks(wanted)] == [(0, 6), (30, 2), (120, 6), (3, 1)]
    long = blocks([(Place("holding", n), 1) for n in range(300)])
    assert [block.count for block in long] == [125, 125, 50]
    assert all(any(b.holds(place, count) for b in blocks(wanted)) for place, count in wanted)
