"""What passes on serial lines, made up at the hatchery: kinds of content that the inference is tried on.

Those of TUNING may be looked at while weights are chosen. Those of HELD_OUT are for reporting only.
"""

from __future__ import annotations

import base64
import json
import random
import struct
from collections.abc import Callable

from ordolex.core.protocols.modbus.crc import crc16
from ordolex.core.text.nmea0183 import sentence

PLACES = ("raceway 1", "raceway 2", "intake", "pump house", "hatching room", "blower B", "feeder 3", "spring")
WORDS = ("oxygen", "temp", "level", "flow", "alarm", "running", "stopped", "low", "high", "door open", "filter", "ok")
Make = Callable[[random.Random], bytes]
"""Gives one message: a line, a frame, a telegram."""


def _number(rng: random.Random) -> str:
    return f"{rng.uniform(0, 40):.{rng.randint(0, 3)}f}"


def _time(rng: random.Random) -> str:
    return f"{rng.randint(0, 23):02}:{rng.randint(0, 59):02}:{rng.randint(0, 59):02}"


def report(rng: random.Random) -> bytes:
    return f"{rng.choice(PLACES)} {rng.choice(WORDS)} {_number(rng)}\r\n".encode()


def prompts(rng: random.Random) -> bytes:
    return rng.choice((b"OK\r\n", b"ERROR\r\n", b"feeder> ", b"login: ", b"Enter choice (1-6): ", b"\r\nREADY\r\n",
                       b"+CSQ: 17,99\r\n\r\nOK\r\n", b"menu> status\r\n", b"1) Network  2) Clock\r\n"))  # fmt: skip


def sentences(rng: random.Random) -> bytes:
    return sentence(f"{rng.choice(('II', 'YX'))}MTW,{rng.uniform(2, 19):.1f},C".encode())


def modbus(rng: random.Random) -> bytes:
    values = b"".join(rng.randint(0, 4000).to_bytes(2) for _ in range(rng.randint(1, 8)))
    body = bytes([7, 3, len(values)]) + values if rng.random() < 0.5 else bytes([7, 3, 0, rng.randint(0, 90), 0, 4])
    return body + crc16(body).to_bytes(2, "little")


def csv(rng: random.Random) -> bytes:
    return f"{rng.randint(1, 9)},{_time(rng)},{_number(rng)},{_number(rng)},{_number(rng)}\r\n".encode()


def pairs(rng: random.Random) -> bytes:
    return f"T={_number(rng)};O2={_number(rng)};P={rng.randint(900, 1100)};S={rng.choice('01')}\n".encode()


def log(rng: random.Random) -> bytes:
    return (
        f"2026-11-{rng.randint(1, 30):02} {_time(rng)} {rng.choice(('INFO', 'WARN', 'FAULT'))} {rng.choice(PLACES)}:"
        f" {rng.choice(WORDS)}\r\n"
    ).encode()


def german(rng: random.Random) -> bytes:
    words = ("Wasserstand niedrig", "Lüfter läuft", "Störung Pumpe", "Tür geöffnet", "Größe geprüft", "Temperatur")
    return f"{rng.choice(words)} {_number(rng)} °C\r\n".encode("latin-1")


def hex_dump(rng: random.Random) -> bytes:
    row = " ".join(f"{rng.randrange(256):02X}" for _ in range(8))
    return f"{rng.randrange(0, 4096, 8):04X}: {row}\r\n".encode()


def json_lines(rng: random.Random) -> bytes:
    return json.dumps({"id": rng.randint(1, 9), "t": round(rng.uniform(0, 20), 1), "ok": True}).encode() + b"\n"


def columns(rng: random.Random) -> bytes:
    return "".join(f"{rng.uniform(-5, 60):9.2f}" for _ in range(4)).encode() + b"\r\n"


def terse(rng: random.Random) -> bytes:
    order = f"{rng.choice(('RD', 'WR', 'ST'))}{rng.randint(0, 99):02}{rng.choice('ABCDEF')}"
    return f"{order}{rng.randint(0, 9999):04}\r".encode()


def telegram(rng: random.Random) -> bytes:
    body = f"{rng.randint(1, 31):02}{rng.choice('RW')}{rng.randint(0, 99999):05}".encode() + b"\x03"
    check = 0
    for byte in body:
        check ^= byte
    return b"\x02" + body + bytes([check])


def utf8(rng: random.Random) -> bytes:
    return f"{rng.choice(PLACES)} {_number(rng)} °C ± {rng.randint(1, 9)} µg\r\n".encode()


def registers(rng: random.Random) -> bytes:
    return (
        bytes([0xAA, 0x55]) + struct.pack(">5H", *(rng.randint(0, 900) for _ in range(5))) + bytes([rng.randrange(256)])
    )


def scale(rng: random.Random) -> bytes:
    return f"ST,GS,{rng.uniform(0, 90):+09.2f}kg\r\n".encode()


def markup(rng: random.Random) -> bytes:
    return f'<v n="{rng.choice(WORDS)}" u="mg/l">{_number(rng)}</v>\n'.encode()


def commands(rng: random.Random) -> bytes:
    return rng.choice((b"AT+CSQ\r", b"AT\r", b"*IDN?\n", b"MEAS:VOLT? 1\n", b"SET LEVEL 40\r\n", b"GET /status\r\n"))


def french(rng: random.Random) -> bytes:
    words = ("niveau élevé", "porte fermée", "débit régulé", "arrêt forcé", "température", "à vérifier", "pompe prête")
    return f"{_time(rng)} {rng.choice(words)} {_number(rng)}\r\n".encode("cp850")


def cyrillic(rng: random.Random) -> bytes:
    words = ("уровень низкий", "насос включен", "температура воды", "авария", "расход в норме", "дверь открыта")
    return f"{rng.choice(words)} {_number(rng)}\r\n".encode(rng.choice(("koi8-r", "cp1251")))


def greek(rng: random.Random) -> bytes:
    words = ("στάθμη χαμηλή", "αντλία ανοιχτή", "θερμοκρασία νερού", "βλάβη", "ροή κανονική", "πόρτα κλειστή")
    return f"{rng.choice(words)} {_number(rng)}\r\n".encode(rng.choice(("iso8859-7", "cp737")))


def hex_frames(rng: random.Random) -> bytes:
    body = bytes([rng.randint(1, 9), 3, 0, rng.randint(0, 90), 0, rng.randint(1, 9)])
    return b":" + (body + bytes([-sum(body) & 0xFF])).hex().upper().encode() + b"\r\n"


def base64_lines(rng: random.Random) -> bytes:
    return base64.b64encode(rng.randbytes(36)) + b"\r\n"


def floats(rng: random.Random) -> bytes:
    body = struct.pack("<BB4f", 0x7E, 16, *(rng.uniform(0, 30) for _ in range(4)))
    return body + (sum(body) & 0xFFFF).to_bytes(2, "little")


def machine_program(rng: random.Random) -> bytes:
    n = rng.randint(1, 99) * 10
    to = f"X{rng.uniform(0, 90):.3f} Y{rng.uniform(0, 90):.3f}"
    return f"N{n} G{rng.choice((0, 1, 2))} {to} F{rng.randint(100, 900)}\r\n".encode()


def noise_bytes(rng: random.Random) -> bytes:
    return rng.randbytes(24)


def readout(rng: random.Random) -> bytes:
    return f"1.8.{rng.randint(0, 4)}({rng.randint(0, 999999):06}.{rng.randint(0, 99):02}*kWh)\r\n".encode()


def packed_decimal(rng: random.Random) -> bytes:
    digits = bytes(rng.randint(0, 9) << 4 | rng.randint(0, 9) for _ in range(8))
    return b"\x01" + bytes([rng.randint(1, 9)]) + digits + bytes([sum(digits) & 0xFF, 4])


TUNING: dict[str, Make] = {
    f.__name__: f
    for f in (report, prompts, sentences, modbus, csv, pairs, log, german, hex_dump, json_lines, columns, terse,
              telegram, utf8, registers, scale, markup, commands, cyrillic)
}  # fmt: skip
HELD_OUT: dict[str, Make] = {
    f.__name__: f
    for f in (french, greek, hex_frames, base64_lines, floats, machine_program, noise_bytes, readout, packed_decimal)
}  # fmt: skip
EIGHT_BITS = frozenset(
    {"modbus", "german", "utf8", "registers", "french", "cyrillic", "greek", "floats", "noise_bytes", "packed_decimal"}
)
FRAMES = frozenset({"modbus", "registers", "floats", "packed_decimal", "telegram", "noise_bytes"})
"""Sent with a silence behind each."""
