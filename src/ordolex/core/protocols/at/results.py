"""What a modem answers: result codes in words or digits, information text between, with or without the echo.

Source: ITU-T V.250, 5.7 (responses), table 1 (result codes); 3GPP TS 27.007, 9.1 and 9.2 (error reports).
"""

from __future__ import annotations

import re
from dataclasses import dataclass

from ordolex.core.text.charsets import text_of

NUMERIC = {"0": "OK", "1": "CONNECT", "2": "RING", "3": "NO CARRIER", "4": "ERROR", "6": "NO DIALTONE", "7": "BUSY",
           "8": "NO ANSWER"}  # fmt: skip
_ERRORS = ("ERROR", "NO CARRIER", "NO DIALTONE", "BUSY", "NO ANSWER")
_FINAL = re.compile(r"OK|CONNECT(?: [^\r\n]*)?|ERROR|NO CARRIER|NO DIAL ?TONE|BUSY|NO ANSWER|\+CM[ES] ERROR: ?[^\r\n]*")
_MEANS = {
    "OK": "done", "CONNECT": "the call is up; what is sent now goes to the far end", "RING": "a call comes in",
    "NO CARRIER": "the call ended, or none came about", "ERROR": "it does not know the command, or cannot do it",
    "NO DIALTONE": "it hears no dial tone", "BUSY": "the far end is busy", "NO ANSWER": "the far end does not answer",
}  # fmt: skip
CME = {
    0: "the phone failed", 3: "operation not allowed", 4: "operation not supported", 5: "PH-SIM PIN required",
    10: "SIM not inserted", 11: "SIM PIN required", 12: "SIM PUK required", 13: "SIM failure", 14: "SIM busy",
    15: "SIM wrong", 16: "incorrect password", 17: "SIM PIN2 required", 18: "SIM PUK2 required", 20: "memory full",
    21: "invalid index", 22: "not found", 23: "memory failure", 24: "text string too long",
    25: "invalid characters in text string", 26: "dial string too long", 27: "invalid characters in dial string",
    30: "no network service", 31: "network timeout", 32: "network not allowed - emergency calls only",
    50: "incorrect parameters", 100: "unknown", 103: "illegal MS", 106: "illegal ME", 107: "GPRS services not allowed",
    111: "PLMN not allowed", 112: "location area not allowed", 113: "roaming not allowed in this location area",
    132: "service option not supported", 133: "requested service option not subscribed",
    134: "service option temporarily out of order", 148: "unspecified GPRS error", 149: "PDP authentication failure",
}  # fmt: skip
"""TS 27.007, 9.2: numbers of +CME ERROR."""


@dataclass(frozen=True, slots=True)
class AtReply:
    """lines    information text, without echo and result
    result   the final result code in words, empty while none came
    echoed   whether the command came back first
    unasked  result codes that came by themselves before the final one, such as RING
    """

    lines: tuple[str, ...] = ()
    result: str = ""
    echoed: bool = False
    unasked: tuple[str, ...] = ()

    @property
    def good(self) -> bool:
        return self.result == "OK" or self.result.startswith("CONNECT")

    @property
    def words(self) -> str:
        number = re.fullmatch(r"\+CME ERROR: ?(\d+)", self.result)
        if number:
            return f"{self.result}: {CME.get(int(number[1]), 'a number that the standard does not have')}"
        means = _MEANS.get(self.result.split(" ")[0] if self.result.startswith("CONNECT") else self.result, "")
        return f"{self.result}: {means}" if means else self.result


def read_reply(command: bytes, data: bytes) -> AtReply:
    """What of an answer has come. Numeric results count only as the whole of the last line, after CR alone."""
    text = text_of(data)
    sent = text_of(command).rstrip("\r\n")
    echoed = text.lstrip("\r\n").startswith(sent) and bool(sent)
    if echoed:
        text = text.lstrip("\r\n")[len(sent) :]
    *whole, _ = re.split(r"[\r\n]", text)
    lines = [line for line in whole if line.strip()]
    unasked: list[str] = []
    info: list[str] = []
    for number, line in enumerate(lines, 1):
        if _FINAL.fullmatch(line):
            return AtReply(tuple(info), line, echoed, tuple(unasked))
        if number == len(lines) and line in NUMERIC and text.endswith(f"{line}\r"):
            return AtReply(tuple(info), NUMERIC[line], echoed, tuple(unasked))
        (unasked if line == "RING" else info).append(line)
    return AtReply(tuple(info), "", echoed, tuple(unasked))


def is_error(result: str) -> bool:
    return result in _ERRORS or "ERROR" in result


def values_of(line: str) -> tuple[str, list[str]]:
    """`+CREG: 0,1` → (`+CREG`, [`0`, `1`]); quoted strings lose their quotes, lists in brackets stay together."""
    name, _, rest = line.partition(":")
    out, depth, quoted, now = [], 0, False, ""
    for character in rest.strip():
        if character == '"':
            quoted = not quoted
        elif character == "," and not depth and not quoted:
            out.append(now)
            now = ""
        else:
            depth += 0 if quoted else (character == "(") - (character == ")")
            now += character
    return name.strip(), [*out, now] if rest.strip() else []


def ranges_of(text: str) -> list[tuple[int, int]]:
    """`(0-3,5)` of a test command's answer → [(0, 3), (5, 5)] (V.250, 5.7.3.1). Raises ValueError."""
    inner = text.strip().strip("()")
    out = []
    for part in inner.split(","):
        low, _, high = part.strip().partition("-")
        if not low.isdigit() or (high and not high.isdigit()):
            raise ValueError(f"{text!r} is no list of numbers such as (0-3,5)")
        out.append((int(low), int(high or low)))
    return out


S_REGISTERS = {
    0: "rings before it answers by itself", 3: "command line ends with", 4: "response begins and ends with",
    5: "what rubs out", 6: "seconds before it dials blind", 7: "seconds it waits for the call to come about",
    8: "seconds of a comma in a number", 10: "tenths of a second without carrier before it hangs up",
    12: "fiftieths of a second of silence around the escape",
}  # fmt: skip
"""V.250, 6.1 to 6.3; register 12 is not in the standard, but all modems that escape by +++ have it."""
