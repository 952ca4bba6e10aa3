"""The intake radio modem: command lines after ITU-T V.250, cellular commands after 3GPP TS 27.007, calls over TCP.

It has two sets of settings, the one in force and the stored one (`&W`), and takes a new rate at once (`+IPR`), once
its OK has left. A call goes where its plan says for a number. `+++` between a second of silence on both sides comes
back to the command state; ATH, a drop of DTR (with &D2) and the far end's close end the call.
"""

from __future__ import annotations

import re
from dataclasses import dataclass, field, replace

from ordolex.bench.devices.base import Kinds, Say
from ordolex.core.line.settings import LineSettings
from ordolex.core.uart.receiver import Character

RATES = (300, 1200, 2400, 4800, 9600, 19200, 38400, 57600, 115200)
NETWORKS = ("Hill Cellular", "Valley Mobile", "Brook Radio")
_TURN_ROUND_S, _GUARD_S, _DIAL_LIMIT_S = 0.02, 1.0, 10.0
_LIMITS = {0: 255, 3: 127, 4: 127, 5: 32, 6: 10, 7: 255, 8: 255, 10: 254, 12: 255}
_NUMBERS = {"OK": 0, "CONNECT": 1, "RING": 2, "NO CARRIER": 3, "ERROR": 4, "NO DIALTONE": 6, "BUSY": 7, "NO ANSWER": 8}
_COMMAND = re.compile(
    r"D[^;]*|S\d{1,2}(?:\?|=\d{1,3})|&[A-Z]\d?|[+$][A-Z]+(?:=\?|\?|=[^;]*)?|[A-CE-RT-Z]\d*|;|\s+", re.IGNORECASE
)


class _Result(Exception):
    """Ends a command line with this result."""


@dataclass(frozen=True, slots=True)
class _Profile:
    echo: bool = True
    words: bool = True
    quiet: bool = False
    hang_up_by_dtr: bool = True
    baud: int = 115200
    errors: int = 0
    network: int = 0
    contexts: tuple[tuple[int, str, str], ...] = ((1, "IP", "farm.example"),)
    registers: tuple[tuple[int, int], ...] = (
        (0, 0), (3, 13), (4, 10), (5, 8), (6, 2), (7, 30), (8, 2), (10, 14), (12, 50),
    )  # fmt: skip


@dataclass(slots=True)
class Wishes:
    """What it wants of the network; the station does it and empties them."""

    dial: str = ""
    hang_up: bool = False
    out: bytearray = field(default_factory=bytearray)


class Modem:
    def __init__(self, line: LineSettings) -> None:
        self._shipped = _Profile(baud=line.baud)
        self._stored = self._now = self._shipped
        self._home = line
        self.line = line
        self.wishes = Wishes()
        self.in_data = False
        self.in_call = False
        self._typed = ""
        self._last_line = ""
        self._dialling_until_s: float | None = None
        self._last_s = -10.0
        self._pluses = 0
        self._escape_at_s: float | None = None

    # ---- the line

    def receive(self, characters: list[Character], now_s: float) -> list[Say]:
        characters = [character for character in characters if not character.faulty]
        data = bytes(character.byte for character in characters)
        if not data:
            return []
        if self.in_data:
            self._watch_for_escape(data, characters[0].at_s, characters[-1].at_s)
            self.wishes.out += data
            return []
        self._last_s = characters[-1].at_s
        if self._dialling_until_s is not None:
            return [self._give_up(now_s, "NO CARRIER")]  # V.250, 6.3.1: a character ends a call that is coming about
        out = ""
        end, rub_out = chr(self._register(3)), chr(self._register(5))
        for character in data.decode("latin-1"):
            out += character if self._now.echo else ""
            if character == end:
                line, self._typed = self._typed, ""
                out += self._line(line, now_s)
            elif character == rub_out:
                self._typed = self._typed[:-1]
            elif character.isprintable():
                self._typed = (self._typed + character)[-400:]
                if self._typed.upper().endswith("A/"):
                    line, self._typed = self._last_line, ""
                    out += self._line(line, now_s)
        return [Say(now_s + _TURN_ROUND_S, out.encode("latin-1"))] if out else []

    def tick(self, now_s: float) -> list[Say]:
        if self._escape_at_s is not None and now_s >= self._escape_at_s:
            self._escape_at_s, self._pluses, self.in_data = None, 0, False
            self._typed = ""
            return [self._say(now_s, "OK")]
        if self._dialling_until_s is not None and now_s >= self._dialling_until_s:
            self.wishes.hang_up = True
            return [self._give_up(now_s, "NO ANSWER")]
        return []

    def next_deadline(self) -> float | None:
        times = [time for time in (self._escape_at_s, self._dialling_until_s) if time is not None]
        return min(times, default=None)

    def relined(self, now_s: float) -> None:
        """The station has followed to the rate."""

    def _watch_for_escape(self, data: bytes, first_s: float, last_s: float) -> None:
        """The times are those on the line: that characters are handed over late is no silence, and takes none away."""
        alone = first_s - self._last_s >= _GUARD_S
        self._last_s = last_s
        self._escape_at_s = None
        if data.strip(b"+") or not (alone or self._pluses):
            self._pluses = 0
            return
        self._pluses += len(data)
        if self._pluses == 3:
            self._escape_at_s = last_s + _GUARD_S

    # ---- the network

    def connected(self, now_s: float) -> list[Say]:
        self._dialling_until_s, self.in_call, self.in_data = None, True, True
        self._last_s, self._pluses = now_s, 0
        return [self._say(now_s, f"CONNECT {self.line.baud}" if self._now.words else "CONNECT")]

    def failed(self, now_s: float, result: str) -> list[Say]:
        return [self._give_up(now_s, result)] if self._dialling_until_s is not None else []

    def from_far_end(self, data: bytes, now_s: float) -> list[Say]:
        return [Say(now_s, data)] if self.in_data else []

    def far_end_closed(self, now_s: float) -> list[Say]:
        if not self.in_call:
            return []
        self.in_call = self.in_data = False
        self._escape_at_s = None
        return [self._say(now_s, "NO CARRIER")]

    def dtr_dropped(self, now_s: float) -> list[Say]:
        if not (self.in_call and self._now.hang_up_by_dtr):
            return []
        self.wishes.hang_up = True
        return self.far_end_closed(now_s)

    def _give_up(self, now_s: float, result: str) -> Say:
        self._dialling_until_s = None
        self.wishes.hang_up = True
        return self._say(now_s, result)

    # ---- command lines

    def _line(self, line: str, now_s: float) -> str:
        at = line.upper().find("AT")
        if at < 0:
            return ""
        self._last_line = line
        rest, out = line[at + 2 :], ""
        try:
            while rest:
                found = _COMMAND.match(rest)
                if found is None:
                    raise _Result("ERROR")
                rest = rest[found.end() :]
                out += self._information(self._command(found[0].strip(), now_s))
        except _Result as result:
            return out + self._result(str(result))
        if self._dialling_until_s is not None:
            return out
        return out + self._result("OK")

    def _command(self, text: str, now_s: float) -> str:
        upper = text.upper()
        if not text or text == ";":
            return ""
        if upper[0] == "D":
            return self._dial(text[1:], now_s)
        if upper[0] == "S":
            return self._s_register(upper[1:])
        if upper[0] in "+$":
            name, sign, value = re.fullmatch(r"([+$][A-Z]+)(=\?|\?|=|)(.*)", upper).groups()  # type: ignore[union-attr]
            given = text[len(name) + 1 :] if sign == "=" else value
            return self._extended(name, sign, given)
        return self._basic(upper)

    def _basic(self, command: str) -> str:
        name, number = command.rstrip("0123456789"), int(re.sub(r"\D", "", command) or 0)
        changes: dict[str, dict[str, object]] = {
            "E": {"echo": number == 1}, "V": {"words": number == 1}, "Q": {"quiet": number == 1},
            "&D": {"hang_up_by_dtr": number == 2},
        }  # fmt: skip
        if name in changes and number <= (2 if name == "&D" else 1):
            self._now = replace(self._now, **changes[name])  # type: ignore[arg-type]
        elif name == "&W":
            self._stored = self._now
        elif name == "Z":
            self._hang_up()
            self._use(self._stored)
        elif name == "&F":
            self._use(self._shipped)
        elif name == "H":
            self._hang_up()
        elif name == "I":
            return "Brookmade\r\nRM-4 intake radio modem\r\n3.07"
        elif name == "O":
            if not self.in_call:
                raise _Result("NO CARRIER")
            self.in_data = True
            self._last_s = -10.0
            raise _Result(f"CONNECT {self.line.baud}")
        else:
            raise _Result("ERROR")
        return ""

    def _dial(self, text: str, now_s: float) -> str:
        number = re.sub(r"[^\d]", "", text)
        if not number or self.in_call:
            raise _Result("ERROR")
        self.wishes.dial = number
        self._dialling_until_s = now_s + min(_DIAL_LIMIT_S, self._register(7))
        return ""

    def _s_register(self, text: str) -> str:
        number, sign, value = re.fullmatch(r"(\d+)(\?|=)(\d*)", text).groups()  # type: ignore[union-attr]
        if int(number) not in _LIMITS:
            raise _Result("ERROR")
        if sign == "?":
            return f"{self._register(int(number)):03d}"
        if int(value) > _LIMITS[int(number)]:
            raise _Result("ERROR")
        registers = dict(self._now.registers) | {int(number): int(value)}
        self._now = replace(self._now, registers=tuple(registers.items()))
        return ""

    def _extended(self, name: str, sign: str, value: str) -> str:
        said = {
            "+CGMI": "Brookmade", "+GMI": "Brookmade", "+CGMM": "RM-4", "+GMM": "RM-4", "+CGMR": "3.07", "+GMR": "3.07",
            "+CGSN": "004400112200317", "+GSN": "004400112200317", "+CSQ": "+CSQ: 17,99",
        }  # fmt: skip
        if name in said and sign == "":
            return said[name]
        obey = {
            "+IPR": self._rate, "+COPS": self._operator, "$NET": self._network, "+CMEE": self._error_reports,
            "+CGDCONT": self._contexts,
        }.get(name)  # fmt: skip
        if obey is not None:
            return obey(sign, value)
        if (name, sign) in (("+CREG", "?"), ("+CPIN", "?")):
            return {"+CREG": "+CREG: 0,1", "+CPIN": "+CPIN: READY"}[name]
        raise _Result("ERROR")

    def _rate(self, sign: str, value: str) -> str:
        if sign == "=?":
            return f"+IPR: (),({','.join(str(rate) for rate in RATES)})"
        if sign == "?":
            return f"+IPR: {self._now.baud}"
        if not value.isdecimal() or int(value) not in RATES:
            raise _Result("ERROR")
        self._now = replace(self._now, baud=int(value))
        self.line = self.line.changed(baud=int(value))
        return ""

    def _operator(self, sign: str, value: str) -> str:
        if sign == "?":
            return f'+COPS: 0,0,"{NETWORKS[self._now.network]}",7'
        if sign != "=?":
            raise _Result("ERROR")
        states = [2 if n == self._now.network else 1 for n in range(len(NETWORKS))]
        return "+COPS: " + ",".join(f'({states[n]},"{name}","","0010{n}")' for n, name in enumerate(NETWORKS))

    def _network(self, sign: str, value: str) -> str:
        """The maker's own: networks counted from zero."""
        if sign == "?":
            return "\r\n".join(f" {n} {name}" for n, name in enumerate(NETWORKS))
        if sign != "=" or not value.isdecimal() or int(value) >= len(NETWORKS):
            raise _Result(self._trouble(21))
        self._now = replace(self._now, network=int(value))
        return ""

    def _error_reports(self, sign: str, value: str) -> str:
        if sign in ("?", "=?"):
            return f"+CMEE: {self._now.errors}" if sign == "?" else "+CMEE: (0-2)"
        if value not in ("0", "1", "2"):
            raise _Result("ERROR")
        self._now = replace(self._now, errors=int(value))
        return ""

    def _contexts(self, sign: str, value: str) -> str:
        if sign == "?":
            return "\r\n".join(f'+CGDCONT: {n},"{kind}","{name}"' for n, kind, name in self._now.contexts)
        if sign == "=?":
            return '+CGDCONT: (1-3),"IP",,,(0),(0)'
        found = re.fullmatch(r'([1-3])(?:,"(IP)","([\w.-]{1,60})")?', value)
        if found is None:
            raise _Result(self._trouble(50))
        others = [context for context in self._now.contexts if context[0] != int(found[1])]
        new = [(int(found[1]), found[2], found[3])] if found[2] else []
        self._now = replace(self._now, contexts=tuple(sorted([*others, *new])))
        return ""

    def _trouble(self, number: int) -> str:
        words = {21: "invalid index", 50: "incorrect parameters"}[number]
        return {0: "ERROR", 1: f"+CME ERROR: {number}", 2: f"+CME ERROR: {words}"}[self._now.errors]

    # ---- what it has

    def _register(self, number: int) -> int:
        return dict(self._now.registers)[number]

    def _use(self, profile: _Profile) -> None:
        self._now = profile
        self.line = self._home.changed(baud=profile.baud)

    def _hang_up(self) -> None:
        if self.in_call:
            self.in_call = self.in_data = False
            self.wishes.hang_up = True

    def _information(self, text: str) -> str:
        return f"\r\n{text}\r\n" if text and self._now.words else f"{text}\r\n" if text else ""

    def _result(self, text: str) -> str:
        if self._now.quiet:
            return ""
        if not self._now.words:
            return f"{_NUMBERS.get(text.split(' ')[0] if text.startswith('CONNECT') else text, 4)}\r"
        return f"\r\n{text}\r\n"

    def _say(self, now_s: float, result: str) -> Say:
        return Say(now_s, self._result(result).encode())


KINDS: Kinds = {"modem": lambda plan, now_s: Modem(plan.settings)}
