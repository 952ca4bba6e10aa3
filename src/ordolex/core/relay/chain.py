"""The layers of a relay from the program to the device, each with its evidence; the first that fails has a test."""

from __future__ import annotations

from dataclasses import dataclass

from ordolex.core.line.settings import LineSettings
from ordolex.core.link.ladder import Rung
from ordolex.core.link.state import Evidence, Proof
from ordolex.core.port.endpoint import Endpoint
from ordolex.core.relay.compare import differences
from ordolex.core.text.counts import counted


@dataclass(frozen=True, slots=True)
class EndFacts:
    """One end at a moment.

    users     names of who uses it; `waits_for_user` says that it is made for one
    held_s    since when the port, the listener or the connection stands; None where it does not
    tries     tries in vain since the last success; `error` why the last one failed
    """

    endpoint: Endpoint
    evidence: Evidence
    path: str = ""
    users: tuple[str, ...] = ()
    held_s: float | None = None
    tries: int = 0
    error: str = ""
    gave_up: bool = False
    took: str = ""
    """How many tries and how long it took until it stood, where that was more than one."""


@dataclass(frozen=True, slots=True)
class Settings:
    """What the program set, and what is in force at the device's end. `program` is None where it set nothing yet."""

    program: LineSettings | None
    far: LineSettings
    pushed: bool
    refused: str = ""
    setting: bool = False
    """Whether they are just being set: what differs then is no fault."""


@dataclass(frozen=True, slots=True)
class Layer:
    """`good` is None where nothing tells yet. `at_s` is the moment of the evidence, None for what has none. `causes`
    and `test` stand at a layer that fails."""

    name: str
    good: bool | None
    words: str
    at_s: float | None = None
    causes: tuple[str, ...] = ()
    test: str = ""


def chain(
    a: EndFacts, b: EndFacts, settings: Settings, proof: Proof | None, stopped: str = "", before: Proof | None = None
) -> list[Layer]:  # fmt: skip
    """From the program to the device. `before` is a proof that does not hold any more."""
    return [
        *_near(a, stopped),
        *_far(b),
        *_line(b, settings, of_kernel=a.endpoint.kind == "virtual"),
        _device(b),
        _whole(b, proof, before),
    ]


def first_failing(layers: list[Layer]) -> Layer | None:
    return next((layer for layer in layers if layer.good is False), None)


def _near(a: EndFacts, stopped: str) -> list[Layer]:
    kind, held = a.endpoint.kind, a.evidence.rung >= Rung.HELD
    if kind == "virtual":
        used = Layer("program", True, f"{', '.join(a.users)} has it open", a.held_s) if a.users else _no_program(a)
        return [used, Layer("virtual port", held, f"stands at {a.path}" if held else a.error or "not made", a.held_s)]
    if a.endpoint.listens:
        if stopped:
            test = "confirm that the shell may be reached, or let only known addresses in"
            listener = Layer("listener", False, stopped, causes=("a shell without login stands behind it",), test=test)
        else:
            listener = Layer("listener", held, f"listens at {a.path}" if held else a.error or "not open", a.held_s)
        came = ", ".join(a.users)
        return [Layer("peer", True if came else None, f"{came} is there" if came else "nobody came yet"), listener]
    return [_ours(a, "program's side")]


def _no_program(a: EndFacts) -> Layer:
    said = " now; bytes came before, from a program or from p (prove)" if a.evidence.heard_in_all else ""
    return Layer("program", None, f"none has it open{said}")


def _ours(end: EndFacts, name: str) -> Layer:
    """An end that we open ourselves."""
    if end.evidence.rung >= Rung.HELD:
        return Layer(name, True, f"{end.endpoint.text} is open" + (f", {end.took}" if end.took else ""), end.held_s)
    words = end.error or end.evidence.trouble or "not open"
    if end.tries:
        words += f"; {counted(end.tries, 'try', 'tries')}"
        words += ", given up" if end.gave_up else ""
    return Layer(name, False if end.error or end.evidence.trouble else None, words)


def _far(b: EndFacts) -> list[Layer]:
    kind, held = b.endpoint.kind, b.evidence.rung >= Rung.HELD
    if kind == "serial":
        layer = _ours(b, "serial port")
        return [
            _failing(layer, ("another program holds it", "it was unplugged"), "look at it in Find: free, held or gone")
        ]
    if kind == "rfc2217" or kind == "tcp":
        layer = _ours(b, "network")
        causes = (
            "the box is off, or at another address",
            "its channel is in another mode",
            "the PC is in another network",
        )
        network = _failing(layer, causes, f"`ordolex net check {b.endpoint.address}` tells how far it is reached")
        words = (
            "agreed to RFC 2217" if kind == "rfc2217" else "took the connection; what is behind it that does not tell"
        )
        box = (
            Layer("box", True if kind == "rfc2217" else None, words, b.held_s)
            if held
            else Layer("box", None, "not asked")
        )
        return [network, box]
    if kind == "udp":
        return [Layer("network", None, "datagrams are sent; nothing says that they arrive")]
    if b.endpoint.is_used:
        return list(reversed(_near(b, "")))
    return [_ours(b, "far end")]


def _failing(layer: Layer, causes: tuple[str, ...], test: str) -> Layer:
    if layer.good is not False:
        return layer
    return Layer(layer.name, False, layer.words, layer.at_s, causes, test)


def _line(b: EndFacts, settings: Settings, *, of_kernel: bool) -> list[Layer]:
    """`of_kernel`: the program's settings are what a pseudo-terminal shows of them, which is no data bits and no even
    parity."""
    if not b.endpoint.has_line:
        if settings.program is None:
            return []
        words = f"the program set {settings.program.text}; {b.endpoint.kind} carries no settings, the box keeps its own"
        return [Layer("line settings", None, words)]
    if b.evidence.rung < Rung.HELD:
        line = settings.program if settings.program is not None and settings.pushed else settings.far
        return [Layer("line settings", None, f"{line.text} is set once the far end stands")]
    if settings.refused:
        test = "choose in the program what the far end can do, or let the box keep its own"
        return [Layer("line settings", False, settings.refused, causes=("the far end cannot do it",), test=test)]
    if settings.program is None:
        return [Layer("line settings", None, f"{settings.far.text} is set there; no program has set another")]
    unlike = differences(settings.program, settings.far)
    if not unlike:
        back = ", set and read back" if settings.pushed else ""
        if of_kernel:
            format_ = (
                f"{settings.far.text.split(' ', 1)[-1]} is the relay's own: the kernel does not show the program's"
            )
            return [Layer("line settings", None, f"{settings.far.baud} baud, as the program has it{back}; {format_}")]
        return [Layer("line settings", True, f"{settings.far.text}, as the program has it{back}")]
    if settings.setting:
        return [Layer("line settings", None, f"{settings.program.text} is being set")]
    why = () if settings.pushed else ("what the program sets is not passed on",)
    test = "set both alike, or switch passing on"
    return [Layer("line settings", False, f"program ≠ far end: {unlike}", causes=why, test=test)]


def _device(b: EndFacts) -> Layer:
    evidence = b.evidence
    if not evidence.heard:
        asked = (
            f"{counted(evidence.sent, 'byte')} sent, nothing heard" if evidence.sent else "nothing sent, nothing heard"
        )
        if not evidence.sent:
            return Layer("line", None, asked)
        may_be = (
            "the device is off",
            "line settings",
            "the cable between box and device",
            "it was not asked a question",
        )
        return Layer("line", None, asked, causes=may_be, test="ask a question that it must answer")
    errors = evidence.errors.words()
    if evidence.rung >= Rung.CLEAR:
        return Layer(
            "line",
            True,
            f"{counted(evidence.heard, 'byte')} heard, {errors or 'no line errors'}",
            evidence.last_heard_s,
        )
    words = (
        f"{counted(evidence.heard, 'byte')} heard, {errors}"
        if errors
        else f"{counted(evidence.heard, 'byte')} heard, not yet seen to be clear"
    )
    if not errors:
        return Layer("line", None, words, evidence.last_heard_s)
    causes = ("the line settings do not suit the device",)
    return Layer("line", False, words, evidence.last_heard_s, causes, "F4 Match finds the device's settings")


def _whole(b: EndFacts, proof: Proof | None, before: Proof | None) -> Layer:
    """The end-to-end proof: asked through the near end itself."""
    if proof is not None:
        words = f"{proof.question} → {proof.answer[:40]}, asked through the port itself, {proof.ms:.0f} ms"
        return Layer("device", True, words, proof.at_s)
    if before is not None:
        words = f"{before.question} was answered before the settings changed or an end was lost; ask again"
        return Layer("device", None, words, before.at_s)
    own = b.evidence.proof
    if own is not None:
        return Layer(
            "device", None, f"answered {own.question or 'rightly'} at its own end; not asked through the port", own.at_s
        )
    if b.evidence.asked:
        asked = counted(b.evidence.asked, "time")
        return Layer("device", None, f"asked through the port {asked}, not answered rightly")
    return Layer("device", None, "not asked through the port yet")
