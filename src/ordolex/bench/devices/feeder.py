"""The feeder controller: boot text, a login, numbered menus on a VT screen, prompts that check what is given.

It has the habits of such boxes: the password is not echoed, only DEL rubs out (BS is taken for a character), a message
of its own lands in the middle of a prompt, lists count from zero, a change that is not saved is lost, and the restart
takes a while. A new rate holds only if Enter comes at that rate within five seconds.
"""

from __future__ import annotations

import re
from collections.abc import Callable

from ordolex.bench.devices.base import Kinds, Say
from ordolex.core.line.settings import LineSettings
from ordolex.core.uart.receiver import Character

LOGIN, PASSWORD = "operator", "trout-4711"
"""What its plate says; made up, and in the bench's document."""
BOOT_S = 4.0
_KEEP_RATE_S = 5.0
_BOOT = (
    "Brookmade FC-4 feeder controller",
    "boot 2.06, self test ok",
    "address {address} mask {mask}",
    "serial FC4-00317",
    "4 feeders found",
)
_FEEDERS = ("Raceway 1", "Raceway 2", "Hatching room", "Pump house tank")
_MENU = (
    (1, "Portion"),
    (2, "Feeding times"),
    (3, "Feeder to work on"),
    (4, "Network"),
    (5, "Serial rate"),
    (6, "Show network"),
    (8, "Save and leave"),
    (9, "Leave without saving"),
)
_NETWORK = ("address", "mask", "gateway", "host", "domain")
_ASKED = {"address": "new address", "mask": "new mask", "gateway": "gateway", "host": "host name", "domain": "domain"}
TEMPERS = ("slip",)
_RATES = (1200, 2400, 4800, 9600, 19200, 38400, 57600, 115200)


class FeederController:
    """`interval_s` is how often a hopper reports by itself while a prompt waits; 0 for never."""

    def __init__(self, line: LineSettings, interval_s: float, start_s: float) -> None:
        self.line = line
        """Its own line settings now; the station follows them once what was said has left."""
        self._interval_s = interval_s
        self._typed = bytearray()
        self._echo = True
        self._booted_s: float | None = None
        self._late_s = start_s + interval_s if interval_s else float("inf")
        self._rate_until_s: float | None = None
        self._old_line = line
        self._switching = False
        self._name = ""
        self._stored: dict[str, int | str] = {
            "portion": 120, "times": 3, "address": "192.0.2.44", "mask": "255.255.255.0", "gateway": "192.0.2.1",
            "host": "feeder-4", "domain": "hatchery.example",
        }  # fmt: skip
        self.temper = ""
        """`slip`: it keeps a mask other than it was given, as a worn key would."""
        self._values = dict(self._stored)
        self._feeder = 0
        self._given: Callable[[str], str] = self._wake

    # ---- the line

    def receive(self, characters: list[Character], now_s: float) -> list[Say]:
        if self._booted_s is not None:
            return []
        out = ""
        for character in characters:
            if character.broken:
                out += self._restart(now_s)
                break
            if character.faulty:
                continue
            out += self._key(character.byte, now_s)
        self._rest(now_s)
        return [Say(now_s + 0.01, out.encode("latin-1"))] if out else []

    def _key(self, byte: int, now_s: float) -> str:
        if byte == 0x0D:
            text = self._typed.decode("latin-1")
            self._typed.clear()
            if self._rate_until_s is not None:
                self._rate_until_s = None
                return f"\r\nrate {self.line.baud} is kept\r\n{self._menu()}"
            echo = self._echo
            self._echo = True
            answer = self._given(text)
            return f"\r\n{self._restart(now_s) if answer == 'restart' else answer}" if echo or answer else "\r\n"
        if byte == 0x7F:
            if not self._typed:
                return ""
            self._typed.pop()
            return "\b \b" if self._echo else ""
        if byte == 0x0A or len(self._typed) >= 60:
            return ""
        self._typed.append(byte)
        shown = "^H" if byte == 0x08 else chr(byte)
        return shown if self._echo else ""

    def tick(self, now_s: float) -> list[Say]:
        if self._booted_s is not None and now_s >= self._booted_s:
            self._booted_s = None
            self._rest(now_s)
            boot = "\r\n".join(_BOOT).format(**self._stored)
            return [Say(now_s, (boot + "\r\n\r\n" + self._ask_login()).encode())]
        if self._rate_until_s is not None and now_s >= self._rate_until_s:
            self._rate_until_s = None
            self.line = self._old_line
        if now_s >= self._late_s:
            self._rest(now_s)
            if self._booted_s is None and self._given not in (self._wake, self._login, self._password):
                return [Say(now_s, b"\r\n* feeder 2: hopper low\r\n")]
        return []

    def next_deadline(self) -> float | None:
        times = [self._booted_s, self._rate_until_s, self._late_s if self._interval_s else None]
        return min((time for time in times if time is not None), default=None)

    def _rest(self, now_s: float) -> None:
        """The next message of its own comes when the line has been quiet for a while."""
        self._late_s = now_s + self._interval_s if self._interval_s else float("inf")

    def _restart(self, now_s: float) -> str:
        self._booted_s = now_s + BOOT_S
        self._values = dict(self._stored)
        self._typed.clear()
        self._echo = True
        return "restarting ...\r\n"

    # ---- what it asks, and what it makes of the answers

    def _wake(self, text: str) -> str:
        return self._ask_login()

    def _ask_login(self) -> str:
        self._given = self._login
        return "login: "

    def _login(self, text: str) -> str:
        if not text:
            return "login: "
        self._given = self._password
        self._echo = False
        self._name = text
        return "password: "

    def _password(self, text: str) -> str:
        if self._name == LOGIN and text == PASSWORD:
            return self._menu()
        return "login incorrect\r\n" + self._ask_login()

    def _menu(self) -> str:
        self._given = self._choice
        changed = " (changed, not saved)" if self._values != self._stored else ""
        rows = [f"\x1b[2J\x1b[H\x1b[1;33m Feeder controller FC-4 \x1b[0m {changed}", ""]
        rows += [f"\x1b[36m{number:2}\x1b[0m {words}" for number, words in _MENU]
        rows += ["", f" feeder {_FEEDERS[self._feeder]}, portion {self._values['portion']} g", ""]
        return "\r\n".join(rows) + "choice: "

    def _choice(self, text: str) -> str:
        match text.strip():
            case "1":
                return self._ask_portion()
            case "2":
                self._given = self._times
                return f"feedings a day (1..8) [{self._values['times']}]: "
            case "3":
                self._given = self._which
                return "\r\n".join(f" {n} {name}" for n, name in enumerate(_FEEDERS)) + "\r\nfeeder number: "
            case "4":
                return self._ask_network(0)
            case "5":
                self._given = self._rate
                return f"new rate [{self.line.baud}]: "
            case "6":
                rows = [f"{name:8} {self._values[name]}" for name in _NETWORK]
                return "\r\n".join(rows) + "\r\nchoice: "
            case "8":
                self._given = self._may_restart
                self._stored = dict(self._values)
                return "saved. restart now (y/n)? "
            case "9":
                self._values = dict(self._stored)
                return "nothing saved, good bye\r\n" + self._ask_login()
            case "":
                return self._menu()
        return f"? there is no {text.strip()[:10]}\r\nchoice: "

    def _ask_portion(self) -> str:
        self._given = self._portion
        return f"portion in grams (5..500) [{self._values['portion']}]: "

    def _portion(self, text: str) -> str:
        if text.strip() and not (text.strip().isdecimal() and 5 <= int(text) <= 500):
            return "? give 5..500\r\n" + self._ask_portion()
        self._values["portion"] = int(text or self._values["portion"])
        return self._menu()

    def _times(self, text: str) -> str:
        if text.strip() and not (text.strip().isdecimal() and 1 <= int(text) <= 8):
            return f"? give 1..8\r\nfeedings a day (1..8) [{self._values['times']}]: "
        self._values["times"] = int(text or self._values["times"])
        return self._menu()

    def _ask_network(self, number: int) -> str:
        """One value after the other, without a way back; an empty answer keeps what is there."""
        if number == len(_NETWORK):
            return self._menu()
        name = _NETWORK[number]
        self._given = lambda text: self._network(number, text)
        return f"{_ASKED[name]} [{self._values[name]}]: "

    def _network(self, number: int, text: str) -> str:
        name, text = _NETWORK[number], text.strip()
        numeric = name in ("address", "mask", "gateway")
        if text and numeric and not re.fullmatch(r"\d{1,3}(\.\d{1,3}){3}", text):
            return f"? four numbers\r\n{self._ask_network(number)}"
        if text:
            slips = self.temper == "slip" and name == "mask"
            self._values[name] = text.rsplit(".", 1)[0] + ".128" if slips else text
        return self._ask_network(number + 1)

    def _which(self, text: str) -> str:
        if not text.strip().isdecimal() or int(text) >= len(_FEEDERS):
            return f"? give 0..{len(_FEEDERS) - 1}\r\nfeeder number: "
        self._feeder = int(text)
        return self._menu()

    def _rate(self, text: str) -> str:
        if not text.strip().isdecimal() or int(text) not in _RATES:
            return f"? one of {' '.join(str(rate) for rate in _RATES)}\r\nnew rate [{self.line.baud}]: "
        self._switching = True
        self._old_line, self.line = self.line, self.line.changed(baud=int(text))
        self._given = self._choice
        return f"rate {text.strip()} after this line, Enter within 5 s keeps it\r\n"

    def _may_restart(self, text: str) -> str:
        if text.strip().lower() == "y":
            return "restart"
        return "good bye\r\n" + self._ask_login()

    def relined(self, now_s: float) -> None:
        """The station has followed to the new settings."""
        if self._switching:
            self._switching = False
            self._rate_until_s = now_s + _KEEP_RATE_S


KINDS: Kinds = {"feeder": lambda plan, now_s: FeederController(plan.settings, plan.interval_s, now_s)}
