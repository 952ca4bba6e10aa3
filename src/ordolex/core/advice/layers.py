"""How far a link reaches, layer by layer, with the first that fails; and each direction by itself."""

from __future__ import annotations

from dataclasses import dataclass

from ordolex.core.link.ladder import Rung
from ordolex.core.link.state import Evidence
from ordolex.core.text.counts import counted


@dataclass(frozen=True, slots=True)
class Layer:
    """`good` is None where nothing tells."""

    name: str
    good: bool | None
    words: str


def layers(kind: str, evidence: Evidence, *, call: str = "", call_up: bool = False) -> list[Layer]:
    """From the PC outwards. `kind` is the endpoint's; `call` a modem's state, empty for what is none."""
    held = evidence.rung >= Rung.HELD
    first = {"serial": "serial port", "rfc2217": "device server", "tcp": "TCP peer"}.get(kind, kind)
    out = [Layer(first, held, "open" if held else evidence.trouble or "not open")]
    if kind == "rfc2217":
        words = f"agrees to {evidence.line.text} (RFC 2217)" if held else "not asked"
        out.append(Layer("line settings", held or None, words))
    heard = f"{counted(evidence.heard, 'byte')} heard"
    clear = evidence.rung >= Rung.CLEAR
    errors = evidence.errors.words()
    out.append(Layer("line", clear if evidence.heard else None, f"{heard}, {errors or 'no line errors'}"))
    if call:
        out.append(Layer("modem", evidence.proof is not None or call_up or None, call))
        out.append(Layer("call", call_up or None, "up" if call_up else "none; nothing lies behind the modem now"))
        if not call_up:
            return out
    proof = evidence.proof
    answered = (
        f"{proof.question or 'what it says'} → {proof.answer[:50]}"
        if proof is not None
        else "no known question answered"
    )
    out.append(
        Layer("far end of the call" if call_up else "device", proof is not None if evidence.asked else None, answered)
    )
    return out


def first_failing(found: list[Layer]) -> Layer | None:
    return next((layer for layer in found if layer.good is False), None)


def directions(evidence: Evidence) -> list[str]:
    """Each way by itself: what proves it, or that nothing does."""
    back = (
        f"{counted(evidence.heard, 'byte')}, {evidence.errors.words() or 'no line errors'}"
        if evidence.heard
        else "nothing heard"
    )
    if evidence.rung >= Rung.CLEAR:
        back += ": this way is clear"
    if evidence.proof is not None and evidence.proof.question:
        out = f"{counted(evidence.sent, 'byte')}; an answer shows that the device hears us"
    elif evidence.echoed:
        out = f"{counted(evidence.sent, 'byte')}; our own came back: the path is whole, a device has not spoken"
    elif evidence.sent:
        out = f"{counted(evidence.sent, 'byte')}; nothing shows yet that they arrive"
    else:
        out = "nothing sent"
    return [f"device → PC   {back}", f"PC → device   {out}"]
