"""What a relay is to do, as data: two endpoints that are joined, and how. The book keeps it under its name."""

from __future__ import annotations

import ipaddress
import re
from dataclasses import asdict, dataclass, fields
from enum import Enum
from typing import Any

from ordolex.core.line.notation import read_line
from ordolex.core.port.endpoint import Endpoint, read_endpoint

_NAME = re.compile(r"[\w][\w .,+()/-]{0,59}")
ANYBODY = "0.0.0.0"


class PlanError(ValueError):
    """A relay that cannot be; the message says what would."""


class Starts(Enum):
    """Who opens the connection of the two ends of a network."""

    PC = "the PC"
    DEVICE = "the device"
    EITHER = "either"

    @property
    def follows(self) -> str:
        """What that makes of us."""
        return {
            Starts.PC: "we call it, again and again until it answers (TCP client)",
            Starts.DEVICE: "we wait for it to call (TCP listener)",
            Starts.EITHER: "we wait for it to call and call it in turn; who is first is taken",
        }[self]


@dataclass(frozen=True, slots=True)
class RelayPlan:
    """`a` is the end of the program, `b` that of the device.

    line      line settings of the device's end until the program sets others; of a virtual port also what the system
              does not show of the program's (data bits, even parity)
    push      what the program sets is set at the device's end; else that end keeps its own
    allow     networks whose hosts may come to a listener; none named: whoever reaches it
    several   more than one peer may be there; one writes, the others hear
    retry_s   seconds between two tries of an end that we open; `tries` at most, 0 for as long as it takes
    dials     host:port that a listener calls in turn, where either side may start
    passive   nothing is passed on: two adapters listen to the two directions of a line
    shell_known  a prompt of a shell without login may be offered beyond this computer
    sheet     the device's, whose question proves the whole way
    """

    name: str
    a: str
    b: str
    line: str = ""
    push: bool = True
    allow: tuple[str, ...] = ()
    several: bool = False
    retry_s: float = 2.0
    tries: int = 0
    dials: str = ""
    passive: bool = False
    shell_known: bool = False
    sheet: str = ""

    @property
    def ends(self) -> tuple[Endpoint, Endpoint]:
        """Raises EndpointError."""
        return read_endpoint(self.a), read_endpoint(self.b)

    def as_dict(self) -> dict[str, Any]:
        return asdict(self) | {"allow": list(self.allow)}


def plan_of(raw: dict[str, Any]) -> RelayPlan:
    """The plan that `as_dict` gave; what a later version added is left out."""
    known = {field.name for field in fields(RelayPlan)}
    kept = {name: value for name, value in raw.items() if name in known}
    return RelayPlan(**(kept | {"allow": tuple(kept.get("allow", ()))}))


def networks(allow: tuple[str, ...]) -> tuple[ipaddress.IPv4Network | ipaddress.IPv6Network, ...]:
    """Raises PlanError."""
    try:
        return tuple(ipaddress.ip_network(text.strip(), strict=False) for text in allow)
    except ValueError as error:
        raise PlanError(f"{error}; give addresses or networks, such as 192.168.1.0/24") from None


def check(plan: RelayPlan) -> RelayPlan:
    """The plan, its endpoints in their own form. Raises PlanError, EndpointError or SettingsError."""
    if not _NAME.fullmatch(plan.name):
        raise PlanError(f"{plan.name!r} is no name for a relay; up to 60 letters, digits, spaces and . , + ( ) / -")
    a, b = plan.ends
    if a.text == b.text and not (a.port == 0 and a.listens):
        raise PlanError(f"both ends are {a.text}; a relay joins two different ones")
    if plan.line:
        read_line(plan.line)
    networks(plan.allow)
    if plan.retry_s <= 0 or plan.tries < 0:
        raise PlanError("the time between two tries must be more than 0 s, and their number 0 or more")
    if plan.allow and not (a.listens or b.listens):
        raise PlanError("neither end listens: a list of those who may come does nothing")
    if plan.dials:
        _check_dialled(plan.dials, a, b)
    if plan.passive and (a.is_used or b.is_used):
        raise PlanError("to listen to two directions takes two serial ports, or two network ports, of our own to open")
    return plan


def _check_dialled(text: str, a: Endpoint, b: Endpoint) -> None:
    read_endpoint(f"tcp://{text}")
    if "listen+tcp" not in (a.kind, b.kind):
        raise PlanError("only a listen+tcp:// end calls in turn; give one, or leave the other address out")


def with_starter(starts: Starts, host: str, port: int, own: str = ANYBODY) -> tuple[str, str]:
    """(endpoint, what it calls in turn) of a network end, by who starts: `host` is the other side, `own` our address at
    which it reaches us. Raises EndpointError."""
    match starts:
        case Starts.PC:
            return read_endpoint(f"tcp://{host}:{port}").text, ""
        case Starts.DEVICE:
            return read_endpoint(f"listen+tcp://{own}:{port}").text, ""
        case _:
            called = read_endpoint(f"tcp://{host}:{port}")
            return read_endpoint(f"listen+tcp://{own}:{port}").text, called.address


def named_after(endpoint: str) -> str:
    """A name for a relay that was given none."""
    text = endpoint.removeprefix("virtual:").replace("://", " ").replace(":", " ")
    text = re.sub(r"[^\w.,+()/-]+", " ", text)
    return re.sub(r"^\W+", "", text)[:60] or "relay"


def offered_words(end: Endpoint, allow: tuple[str, ...]) -> str:
    """What it means that an end listens beyond this computer; empty where it does not."""
    if not end.beyond_loopback:
        return ""
    who = f"from {', '.join(allow)}" if allow else "from anywhere"
    return f"whoever reaches {end.address} {who} holds the device: there is no login, and nothing is encrypted"
