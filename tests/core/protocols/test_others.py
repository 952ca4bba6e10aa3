"""AT, meter, instrument, sentences, framed protocols and checks: printed examples, splits, and what is not whole."""

from __future__ import annotations

import random

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from ordolex.core.protocols import framed, meter
from ordolex.core.protocols.at.cellular import signal_dbm, words_of
from ordolex.core.protocols.at.results import ranges_of, read_reply, values_of
from ordolex.core.protocols.checks import CHECKS, WRITTEN, find_checks, written
from ordolex.core.protocols.instrument import QueuedError, read_error, read_quantity
from ordolex.core.protocols.sentences import sentences, talkers, transducers
from ordolex.core.text import nmea0183


@pytest.mark.parametrize(
    ("name", "value"),
    [
        ("crc8-07", 0xF4), ("crc8-31", 0xA1), ("crc16-modbus", 0x4B37), ("crc16-8005", 0xBB3D), ("crc16-1021", 0x31C3),
        ("crc16-1021-ffff", 0x29B1), ("crc16-1021-reflected", 0x2189), ("crc16-x25", 0x906E), ("crc16-3d65", 0xEA82),
        ("crc32", 0xCBF43926), ("sum8", 0xDD), ("lrc8", 0x23), ("xor8", 0x31),
    ],
)  # fmt: skip
def test_checks_of_the_digits_one_to_nine(name: str, value: int) -> None:
    assert CHECKS[name].compute(b"123456789") == value


@pytest.mark.parametrize("name", CHECKS)
def test_the_check_of_recorded_frames_is_found(name: str) -> None:
    chance = random.Random(name)
    check = CHECKS[name]
    how = chance.choice([h for h in WRITTEN if check.size > 1 or h != "low first"])
    frames = []
    for _ in range(5):
        body = b"\x02" + bytes(chance.randrange(256) for _ in range(chance.randint(6, 14)))
        frames.append(body + written(check.compute(body[1:]), check.size, how) + b"\x03")
    best = find_checks(frames)[0]
    assert (best.name, best.how, best.start, best.tail) == (name, how, 1, 1), best.words
    assert not find_checks([*frames, b"\x02abcdefgh\x03"])


PLANS = [
    framed.FramePlan(b"\x02", b"\x03", True, "payload", "xor8", "hex digits", 1),
    framed.FramePlan(b"\xaa\x55", b"", True, "rest", "crc16-x25", "low first", 2),
    framed.FramePlan(b"\x7e", b"\r\n", False, "", "sum8", "hex digits", 1),
]


@given(st.sampled_from(PLANS), st.integers(0, 255), st.binary(max_size=40), st.booleans(), st.data())
@settings(max_examples=200, deadline=None)
def test_a_frame_is_found_whole_and_never_in_part(
    plan: framed.FramePlan, address: int, payload: bytes, echo: bool, data: st.DataObject
) -> None:
    if not plan.length:
        payload = payload.replace(b"\r", b"").replace(b"\n", b"")
    frame = framed.Frame(address if plan.address else 0, payload)
    whole = framed.wrap(plan, frame)
    sent = framed.wrap(plan, framed.Frame(1, b"ask"))
    there = (sent if echo and sent != whole else b"") + whole
    assert framed.find(plan, sent, there) == (frame, "")
    cut = data.draw(st.integers(0, len(there) - 1))
    found, why = framed.find(plan, sent, there[:cut])
    assert found is None or (cut >= len(sent) and found.payload == b"ask")
    spoilt = bytearray(whole)
    spoilt[data.draw(st.integers(plan.check_from, len(whole) - 1))] ^= 0x10
    found, why = framed.find(plan, b"", bytes(spoilt))
    assert found != frame and (found or why)


# ---- meters: the messages as printed in IEC 62056-21, 6.3 and annexes


def test_the_messages_of_a_meter_readout() -> None:
    assert meter.sign_on() == b"/?!\r\n" and meter.sign_on("00317") == b"/?00317!\r\n"
    assert meter.acknowledge("5") == b"\x06050\r\n"
    assert meter.BREAK[-1] == meter.bcc(meter.BREAK[1:-1]) == 0x71
    for text, mode, baud in (
        (b"/ABC5brook\r\n", "C", 9600),
        (b"/ABCEbrook\r\n", "B", 9600),
        (b"/ABCxbrook\r\n", "A", 300),
    ):
        found = meter.read_identification(b"\x00" + text)
        assert found is not None and (found.mode, found.baud) == (mode, baud) and meter.identify(found) == text
        assert all(meter.read_identification(text[:cut]) is None for cut in range(len(text)))
    for wrong in ("no/slash", "x" * 33):
        with pytest.raises(meter.MeterTrouble):
            meter.sign_on(wrong)


def test_a_readout_is_whole_or_refused_at_every_cut_and_flip() -> None:
    lines = b"0.0.0(00317)\r\n1.8.0(001234.567*kWh)\r\n32.7.0(231.2*V)(0.4*A)\r\nnote\r\n"
    message = meter.block(lines)
    readout = meter.read_block(message)
    got = [(v.code, v.value, v.unit, v.means) for v in readout.values]
    assert got == [
        ("0.0.0", "00317", "", "device address"), ("1.8.0", "001234.567", "kWh", "active energy, imported"),
        ("32.7.0", "231.2", "V", "voltage, phase 1"), ("32.7.0", "0.4", "A", "voltage, phase 1"),
    ] and readout.odd == ("note",)  # fmt: skip
    for cut in range(len(message)):
        assert not meter.whole_block(message[:cut])
        with pytest.raises(meter.MeterTrouble):
            meter.read_block(message[:cut])
    for at in range(1, len(message)):
        spoilt = bytearray(message)
        spoilt[at] ^= 0x04
        try:
            assert meter.read_block(bytes(spoilt)).values == readout.values
        except meter.MeterTrouble:
            pass
        else:
            pytest.fail(f"the fault at {at} was not seen")


# ---- modems: V.250 table 1 and 5.7, TS 27.007


@pytest.mark.parametrize(
    ("command", "data", "result", "lines", "echoed"),
    [
        (b"AT\r", b"AT\r\r\nOK\r\n", "OK", (), True),
        (b"ATI\r", b"\r\nBrookmade\r\nRM-4\r\n\r\nOK\r\n", "OK", ("Brookmade", "RM-4"), False),
        (b"ATD5551\r", b"\r\nCONNECT 9600\r\n", "CONNECT 9600", (), False),
        (b"AT+X\r", b"\r\n+CME ERROR: 30\r\n", "+CME ERROR: 30", (), False),
        (b"ATV0\r", b"0\r", "OK", (), False),
        (b"ATS0?\r", b"000\r\n0\r", "OK", ("000",), False),
        (b"ATS0?\r", b"\r\n0\r\n", "", ("0",), False),
        (b"ATD1\r", b"7\r", "BUSY", (), False),
        (b"AT\r", b"\r\nRING\r\n\r\nOK\r\n", "OK", (), False),
        (b"AT\r", b"\r\nO", "", (), False),
    ],
)
def test_answers_of_modems(command: bytes, data: bytes, result: str, lines: tuple[str, ...], echoed: bool) -> None:
    reply = read_reply(command, data)
    assert (reply.result, reply.lines, reply.echoed) == (result, lines, echoed)
    if result and data.endswith(b"\n"):
        assert all(read_reply(command, data[:cut]).result in ("", "OK") for cut in range(len(data) - 2))


def test_cellular_answers_in_words() -> None:
    assert [signal_dbm(n) for n in (0, 2, 31, 99)] == [-113, -109, -51, None]
    assert words_of("+CSQ: 17,99") == "-79 dBm, good" and words_of("+CREG: 0,5") == "registered, roaming"
    assert words_of('+COPS: 0,0,"Hill Cellular",7') == "operator Hill Cellular, E-UTRAN"
    assert words_of('+CGDCONT: 1,"IP","farm.example","0.0.0.0",0,0') == "context 1: IP, access point farm.example"
    assert words_of("+CSQ: x") == "an answer that does not fit the standard"
    assert values_of('+X: (0-3,5),"a,b",') == ("+X", ["(0-3,5)", "a,b", ""])
    assert ranges_of("(0-3,5)") == [(0, 3), (5, 5)]
    assert read_reply(b"", b"\r\n+CME ERROR: 30\r\n").words == "+CME ERROR: 30: no network service"


# ---- instruments and talkers


def test_quantities_and_the_error_queue() -> None:
    got = [(q.value, q.unit) for q in map(read_quantity, ("9.42 mg/l", "-1.2E-3", " 11.3 C\n", ".5%"))]
    assert got == [(9.42, "mg/l"), (-0.0012, ""), (11.3, "C"), (0.5, "%")]
    for wrong in ("", "nine", "1.2.3", "9.91E37", "9.9e37"):
        with pytest.raises(ValueError):
            read_quantity(wrong)
    assert read_error('-113,"Undefined ""X"" header"\n') == QueuedError(-113, 'Undefined "X" header')
    assert read_error('0,"No error"').kind == "no error" and read_error('-222,"r"').kind == "execution error"
    with pytest.raises(ValueError, match="error queue"):
        read_error("-113")


def test_transducers_and_who_talks() -> None:
    right = nmea0183.sentence(b"YXXDR,C,8.6,C,SPRING,P,0.101,B,AIR,C,,C,LOST")
    wrong = right.replace(b"8.6", b"8.7")
    (fields,) = sentences(b"noise" + right + wrong)
    got = [(t.name, t.kind, t.value, t.unit) for t in transducers(fields)]
    assert got == [("SPRING", "temperature", 8.6, "C"), ("AIR", "pressure", 0.101, "B")]
    assert talkers(right + wrong + right) == {"YXXDR": 2}
