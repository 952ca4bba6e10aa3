"""What passes on serial lines, made up at the hatchery: more than sixty families in many languages and character sets,
dumps, menus, banners, telegrams. `FITTED` may be looked at while weights are chosen, `HELD_OUT` are for reporting only.
"""

from __future__ import annotations

import json
import random
import struct
import zlib
from collections.abc import Callable, Sequence
from dataclasses import dataclass

Make = Callable[[random.Random], bytes]
_CRC_TABLE = [0] * 256
for _byte in range(256):
    _value = _byte
    for _ in range(8):
        _value = _value >> 1 ^ (0xA001 if _value & 1 else 0)
    _CRC_TABLE[_byte] = _value


def crc16(data: bytes) -> bytes:
    """Of Modbus, low byte first; written apart from the program's own."""
    value = 0xFFFF
    for byte in data:
        value = value >> 8 ^ _CRC_TABLE[(value ^ byte) & 0xFF]
    return value.to_bytes(2, "little")


@dataclass(frozen=True)
class Family:
    """`make` gives one message; `eight` says that it needs eight data bits."""

    name: str
    make: Make
    eight: bool


LANGUAGES: dict[str, str] = {
    "german": ("Füllstand Störung Pumpe läuft gestört Grenzwert überschritten Temperatur Becken Tür geöffnet größer "
               "Sauerstoff niedrig Wärme Zähler Schlüssel Ventil schließt Meßwert gültig"),
    "french": ("Niveau élevé défaut pompe arrêtée température bassin porte ouverte oxygène débit alarme réglée été "
               "vérifié coupé à l'arrêt relevé dépassé près contrôlé"),
    "spanish": ("Nivel señal caída bomba avería presión depósito puerta abierta oxígeno bajo número año válvula "
                "conexión perdida medición última máxima mínima"),
    "danish": ("Iltmåling lav vandstand højere pumpe kører kølevand fejl dør åben strøm måler bassin større lås "
               "temperatur spænding tændt slået ændret"),
    "finnish": ("Lämpötila käynnissä pysäytetty hälytys näyttö säiliö pumppu häiriö mittaus päällä yläraja väli "
                "happi virtaus ääni syöttö löysä"),
    "swedish": ("Nivå hög lågt flöde mätvärde fel på pumpen dörr öppen ström tömd fylld räknare värme kylning "
                "återställd avläst"),
    "portuguese": ("Nível pressão avaria bomba ligação não válida última medição tensão ligação à rede válvula "
                   "água saída entrada posição"),
    "italian": ("Livello è più alto perché la pompa è già ferma pressione portata velocità unità città qualità "
                "guasto così però finché"),
    "polish": ("Poziom wysoki błąd pompa zatrzymana ciśnienie zbiornik drzwi otwarte żądanie łączność źródło próba "
               "przepływ świeża wartość gęstość"),
    "czech": ("Hladina vysoká čerpadlo běží porucha tlak nádrž dveře otevřené měření příliš nízký žádost číslo "
              "průtok ověřeno změna"),
    "hungarian": ("Vízszint magas hiba szivattyú leállt nyomás tartály ajtó nyitva mérés érték hőmérséklet túl alacsony "
                  "működik kész"),
    "turkish": ("Seviye yüksek arıza pompa çalışıyor basınç depo kapı açık ölçüm değer sıcaklık düşük şebeke bağlı"),
    "russian": ("Уровень высокий авария насос остановлен давление бак дверь открыта измерение значение температура "
                "низкая связь есть нет сигнала"),
    "ukrainian": ("Рівень високий аварія насос зупинено тиск бак двері відкрито вимірювання значення температура "
                  "низька зв'язок є немає"),
    "greek": ("Στάθμη υψηλή βλάβη αντλία σταμάτησε πίεση δεξαμενή πόρτα ανοικτή μέτρηση τιμή θερμοκρασία χαμηλή"),
    "japanese": ("水位 高い 異常 ポンプ 停止 圧力 水槽 扉 開 測定 温度 低い 正常"),
    "english": ("level high fault pump stopped pressure tank door open oxygen low flow meter reading valve closed "
                "temperature alarm cleared filter clogged"),
}  # fmt: skip
_UNITS = ("mg/l", "°C", "m³/h", "%", "bar", "mm", "kW", "")


def _number(rng: random.Random, comma: bool = False) -> str:
    text = f"{rng.uniform(-5, 400):.{rng.randint(0, 3)}f}"
    return text.replace(".", ",") if comma else text


def _encoded(text: str, codec: str) -> bytes:
    return text.encode(codec, "ignore")


def spoken(language: str, codec: str) -> Make:
    """Lines of a device that speaks this language in this character set."""
    words = LANGUAGES[language].split()

    def make(rng: random.Random) -> bytes:
        kind, comma = rng.randrange(5), language != "english"
        one, two, three = (rng.choice(words) for _ in range(3))
        unit = rng.choice(_UNITS)
        text = (
            f"{one} {two} {three} {_number(rng, comma)} {unit}",
            f"{one.upper()} {rng.randint(1, 9)}: {two} {three}",
            f"{rng.randint(0, 23):02}:{rng.randint(0, 59):02} {one} {two}, {three}",
            f"{one}={_number(rng, comma)}{unit}; {two}={rng.randint(0, 999)}",
            f"* {one} {two} *",
        )[kind]
        return _encoded(text + rng.choice(("\r\n", "\r\n", "\n")), codec)

    return make


def _clock(rng: random.Random) -> str:
    return f"{rng.randint(0, 23):02}:{rng.randint(0, 59):02}:{rng.randint(0, 59):02}"


def _weigher(rng: random.Random) -> bytes:
    return f"{rng.choice(('ST', 'US'))},{rng.choice(('GS', 'NT'))},{rng.uniform(0, 90):+09.3f} kg\r\n".encode()


def _scanner(rng: random.Random) -> bytes:
    return f"{rng.randint(10**11, 10**12 - 1)}\r".encode()


def _sentence(body: str) -> bytes:
    check = 0
    for byte in body.encode():
        check ^= byte
    return f"${body}*{check:02X}\r\n".encode()


def _receiver(rng: random.Random) -> bytes:
    north, east = (
        f"{rng.randint(low, low + 99):0{wide}}.{rng.randint(0, 9999):04}" for low, wide in ((4700, 4), (800, 5))
    )
    return _sentence(f"YXGLL,{north},N,{east},E,{_clock(rng).replace(':', '')},A")


def _wind(rng: random.Random) -> bytes:
    return _sentence(f"WIMWV,{rng.uniform(0, 359):.1f},R,{rng.uniform(0, 20):.1f},M,A")


def _hex_dump(rng: random.Random) -> bytes:
    data = rng.randbytes(16)
    return f"{rng.randrange(0, 65536, 16):04x}: {data.hex(' ')}  |{''.join(chr(b) if 32 <= b < 127 else '.' for b in data)}|\r\n".encode()


def _records(rng: random.Random) -> bytes:
    data = bytes([16, rng.randrange(256), rng.randrange(0, 256, 16), 0]) + rng.randbytes(16)
    return f":{(data + bytes([-sum(data) & 0xFF])).hex().upper()}\r\n".encode()


def _menu(rng: random.Random) -> bytes:
    rows = ["Portion", "Network", "Clock", "Alarms", "Serial port", "Calibrate", "Service"]
    rng.shuffle(rows)
    text = "\r\n".join(f" {n}  {row}" for n, row in enumerate(rows[: rng.randint(3, 6)], 1))
    return f"\r\n--- MAIN MENU ---\r\n{text}\r\nchoice> ".encode()


def _screen(rng: random.Random) -> bytes:
    row = rng.randint(1, 24)
    return f"\x1b[{row};{rng.randint(1, 60)}H\x1b[{rng.choice((1, 7, 31, 32))}m{rng.choice(('TANK', 'PUMP', 'FLOW'))} {_number(rng)}\x1b[0m".encode()


def _banner(rng: random.Random) -> bytes:
    return (f"\r\nboot {rng.randint(1, 9)}.{rng.randint(0, 99):02}  ram {rng.choice((64, 128, 256))}K ok\r\n"
            f"link: {rng.choice(('up', 'down'))}  node {rng.randint(1, 99)}\r\nready\r\n").encode()  # fmt: skip


def _log(rng: random.Random) -> bytes:
    return (f"[{rng.randint(0, 99999):6}.{rng.randint(0, 999):03}] {rng.choice(('adc', 'net', 'valve', 'main'))}: "
            f"{rng.choice(('retry', 'timeout', 'state', 'calibrated'))} {rng.randint(0, 500)}\n").encode()  # fmt: skip


def _json(rng: random.Random) -> bytes:
    return (
        json.dumps({"t": rng.randint(0, 10**9), "o2": round(rng.uniform(4, 14), 2), "ok": rng.random() < 0.9}).encode()
        + b"\n"
    )


def _csv(rng: random.Random) -> bytes:
    return (
        ",".join([str(rng.randint(1, 9)), _clock(rng), *(_number(rng) for _ in range(rng.randint(2, 6)))]) + "\r\n"
    ).encode()


def _semicolons(rng: random.Random) -> bytes:
    return (";".join(_number(rng, True) for _ in range(rng.randint(3, 8))) + "\r\n").encode()


def _fixed(rng: random.Random) -> bytes:
    return ("".join(f"{rng.uniform(0, 999):8.2f}" for _ in range(4)) + "\r\n").encode()


def _capitals(rng: random.Random) -> bytes:
    return f"{rng.choice(('CH', 'AI', 'DO'))}{rng.randint(1, 16):02} {rng.choice(('OK', 'LOW', 'HIGH', 'OPEN', 'FAIL'))} {rng.randint(0, 4095):04}\r".encode()


def _two_letters(rng: random.Random) -> bytes:
    return f"\x02{rng.choice('ABCD')}{rng.randint(0, 9999):04}\x03".encode()


def _readout(rng: random.Random) -> bytes:
    return f"{rng.randint(0, 99)}.{rng.randint(1, 9)}.0({rng.uniform(0, 99999):010.3f}*kWh)\r\n".encode()


def _modem(rng: random.Random) -> bytes:
    return rng.choice((b"AT+CSQ\r\r\n+CSQ: 17,99\r\n\r\nOK\r\n", b"RING\r\n", b"ATI\r\r\nmade up 2.1\r\nOK\r\n", b"\r\n+CREG: 0,1\r\n",
                       b"NO CARRIER\r\n", b"CONNECT 9600\r\n"))  # fmt: skip


def _prompted(rng: random.Random) -> bytes:
    return f"\r\nsw{rng.randint(1, 9)}# show {rng.choice(('port', 'vlan', 'log'))}\r\n{rng.choice(('up', 'down'))} {rng.randint(10, 1000)}\r\n".encode()


def _ascii_frames(rng: random.Random) -> bytes:
    body = bytes([rng.randint(1, 30), 3, 2]) + rng.randint(0, 4000).to_bytes(2)
    return f":{(body + bytes([-sum(body) & 0xFF])).hex().upper()}\r\n".encode()


def _address(rng: random.Random) -> bytes:
    return f">{rng.randint(0, 31):02}{rng.uniform(-99, 99):+08.3f}\r".encode()


def _register(rng: random.Random) -> bytes:
    body = bytes([rng.randint(6, 60), 3, 2]) + rng.randint(0, 4000).to_bytes(2)
    return body + crc16(body)


def _registers(rng: random.Random) -> bytes:
    unit, count = rng.randint(1, 60), rng.randint(2, 10)
    ask = bytes([unit, 3, 0, rng.randint(0, 99), 0, count])
    body = bytes([unit, 3, 2 * count]) + b"".join(rng.randint(0, 3000).to_bytes(2) for _ in range(count))
    return ask + crc16(ask) + body + crc16(body)


def _floats(rng: random.Random) -> bytes:
    unit, count = rng.randint(1, 9), rng.randint(1, 5)
    body = bytes([unit, 4, 4 * count]) + b"".join(struct.pack(">f", rng.uniform(-20, 400)) for _ in range(count))
    return body + crc16(body)


def _telegram(rng: random.Random) -> bytes:
    data = (
        bytes([0x68, 9, 9, 0x68, 8, rng.randint(1, 99), 0x72])
        + rng.randint(0, 10**7).to_bytes(4, "little")
        + rng.randbytes(2)
    )
    return data + bytes([sum(data[4:]) & 0xFF, 0x16])


def _stuffed(rng: random.Random) -> bytes:
    data = bytes([rng.randint(1, 9), 0x10]) + rng.randint(0, 30000).to_bytes(2) + bytes([rng.randrange(4)])
    data += zlib.crc32(data).to_bytes(4, "little")[:2]
    return b"\x7e" + data.replace(b"\x7d", b"\x7d\x5d").replace(b"\x7e", b"\x7d\x5e") + b"\x7e"


def _counter(rng: random.Random) -> bytes:
    return bytes([0xAA, 0x55, rng.randrange(16), 0, rng.randrange(4)]) + rng.randint(0, 2000).to_bytes(2) + bytes([0])


def _samples(rng: random.Random) -> bytes:
    return b"\xff\xfe" + b"".join(rng.randint(480, 560).to_bytes(2, "little") for _ in range(8))


def _packed(rng: random.Random) -> bytes:
    return b"\x10\x02" + rng.randbytes(10) + b"\x10\x03"


def _decimal(rng: random.Random) -> bytes:
    digits = f"{rng.randint(0, 999999):06}{rng.randint(0, 9999):04}"
    data = bytes.fromhex(digits)
    return b"\x02" + data + bytes([sum(data) & 0xFF]) + b"\x03"


def _dots(rng: random.Random) -> bytes:
    return rng.choice((b".", b"*", b"=", b"U", b"-")) * rng.randint(20, 60)


def _one_line(rng: random.Random) -> bytes:
    return b"READY FOR INPUT\r\n"


def _beacon(rng: random.Random) -> bytes:
    return b"#07 oxygen 11.42 mg/l\r\n"


def _ascii(text: str) -> Make:
    words = text.split()

    def make(rng: random.Random) -> bytes:
        return f"{rng.choice(words)} {rng.choice(words)} {_number(rng)}{rng.choice((' ', ', '))}{rng.choice(words)}\r\n".encode()

    return make


_CODED = [
    ("german", "latin-1"), ("german", "cp437"), ("german", "utf-8"), ("french", "latin-1"), ("french", "cp850"),
    ("spanish", "latin-1"), ("spanish", "utf-8"), ("danish", "latin-1"), ("danish", "cp865"), ("finnish", "latin-1"),
    ("finnish", "cp437"), ("swedish", "cp850"), ("swedish", "latin-1"), ("portuguese", "latin-1"), ("portuguese", "cp860"),
    ("italian", "utf-8"), ("italian", "latin-1"), ("polish", "cp1250"), ("polish", "utf-8"), ("czech", "iso8859-2"),
    ("czech", "cp852"), ("hungarian", "cp1250"), ("turkish", "iso8859-9"), ("russian", "cp1251"), ("russian", "cp866"),
    ("russian", "koi8-r"), ("russian", "utf-8"), ("ukrainian", "cp1251"), ("greek", "iso8859-7"), ("japanese", "shift_jis"),
    ("japanese", "utf-8"),
]  # fmt: skip
_TEXTS: dict[str, Make] = {
    "english": spoken("english", "ascii"), "weigher": _weigher, "scanner": _scanner, "receiver": _receiver, "wind": _wind,
    "hex dump": _hex_dump, "records": _records, "menu": _menu, "screen": _screen, "banner": _banner, "log": _log,
    "json": _json, "csv": _csv, "semicolons": _semicolons, "fixed": _fixed, "capitals": _capitals,
    "two letters": _two_letters, "readout": _readout, "modem": _modem, "prompted": _prompted,
    "ascii frames": _ascii_frames, "address": _address, "dots": _dots, "one line": _one_line, "beacon": _beacon,
    "words": _ascii("raceway spring intake blower smolt parr feed depth drain"),
}  # fmt: skip
_BINARY: dict[str, Make] = {
    "register": _register, "registers": _registers, "floats": _floats, "telegram": _telegram, "stuffed": _stuffed,
    "counter": _counter, "samples": _samples, "packed": _packed, "decimal": _decimal,
}  # fmt: skip
ALL = [
    *(Family(f"{language} in {codec}", spoken(language, codec), True) for language, codec in _CODED),
    *(Family(name, make, False) for name, make in _TEXTS.items()),
    *(Family(name, make, True) for name, make in _BINARY.items()),
]
_KEPT = {
    "german in cp437", "french in latin-1", "spanish in utf-8", "danish in cp865", "finnish in latin-1",
    "swedish in latin-1", "portuguese in cp860", "polish in cp1250", "czech in cp852", "hungarian in cp1250",
    "russian in koi8-r", "ukrainian in cp1251", "greek in iso8859-7", "japanese in utf-8", "weigher", "wind", "records",
    "banner", "json", "fixed", "two letters", "modem", "address", "beacon", "dots", "floats", "stuffed", "samples",
    "decimal",
}  # fmt: skip
FITTED = [family for family in ALL if family.name not in _KEPT]
HELD_OUT = [family for family in ALL if family.name in _KEPT]


def messages(family: Family, rng: random.Random, size: int) -> list[bytes]:
    """As many as hold `size` bytes."""
    out: list[bytes] = []
    while sum(map(len, out)) < size:
        out.append(family.make(rng))
    return out


def named(names: Sequence[str]) -> list[Family]:
    return [family for family in ALL if family.name in names]
