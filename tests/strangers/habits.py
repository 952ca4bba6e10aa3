"""What a device may be like: habits that are drawn at random, each by itself. What is true of a device is known from
them."""

from __future__ import annotations

import random
from dataclasses import dataclass, replace

CHARSETS = {"ascii": "", "latin-1": "Füllhöhe ", "cp437": "Température ", "cp1251": "Уровень воды ", "utf-8": "Höhe → "}
REFUSALS = (
    "ERROR", "?", "E05", "Befehl unbekannt", "commande inconnue", "comando desconocido", "NAK 7", "ERR 12", "не понял",
    "Virhe 3", "Unknown command 'X9'", "Zugriff verweigert 4", "parametro non valido 8", "kommando finns inte 5",
)  # fmt: skip
COMMANDS = (
    ("RATE", "TEMP", "FLOW", "LEVEL"), ("K", "L", "M", "N"), ("1", "2", "3", "4"), ("01", "02", "03", "11"),
    ("T?", "U?", "PH?", "CON?"), ("MEAS1", "MEAS2", "MEAS12", "STAT"),
    ("#01", "#02", "#03", "#04"), ("rd 5", "rd 6", "rd 7", "gv"),
)  # fmt: skip


@dataclass(frozen=True)
class Habits:
    """names    what stands between the question's own text and the value, None where an answer does not begin with it
    double   an answer comes twice: at once, late, or cut short
    late     how late answers are, in time-outs; `late_share` of them
    alarm    it speaks by itself: between answers, or inside them
    pieces   (bytes, longest pause in s)
    """

    commands: tuple[str, ...] = COMMANDS[0]
    asked_with: bytes = b"\r"
    echo: str = "none"
    names: str | None = None
    prefix: str = ""
    suffix: str = ""
    prompt: str = ""
    codes: str = "{}"
    heading: str = ""
    pieces: tuple[int, float] | None = None
    double: str = ""
    late: float = 0.0
    late_share: float = 0.0
    alarm: str = ""
    ends: bytes = b"\r\n"
    charset: str = "ascii"
    comma: bool = False
    thousands: str = ""
    decimals: int = 1
    parity_left: bool = False
    flow: bool = False
    bell: bool = False
    refusal: str = "ERROR"
    refuses: bool = False
    in_words: bool = False
    silent_share: float = 0.0
    turn_round: float = 0.02
    begins_like_its_question: bool = False
    keeps: str = "all"
    loose: bool = False

    def without(self, name: str) -> Habits:
        return replace(self, **{name: getattr(Habits(), name)})


NAMES = tuple(Habits.__dataclass_fields__)


def drawn(seed: int) -> Habits:
    """The habits of stranger number `seed`: each is odd with its own chance."""
    r = random.Random(seed)

    def odd(chance: float, *ways: object) -> object:
        return r.choice(ways) if r.random() < chance else None

    commands = r.choice(COMMANDS)
    asked_with = r.choice((b"\r", b"\r", b"\n", b"\r\n", b""))
    decimals = r.choice((0, 1, 2, 3))
    codes = odd(
        0.25,
        "\x1b[32m{}\x1b[0m",
        "\x1b[2K\x1b[10;5H{}",
        "\x1b]0;cal 52\x07{}",
        "\x1b[1m{}\x1b[22m\x1b[0m",
        "\x1b[31;1m{}",
        "9\b{}",
    )
    ends = r.choice((b"\r\n", b"\r\n", b"\r", b"\n", b"\n\r", b"\r\0", b""))
    return Habits(
        commands=commands,
        asked_with=asked_with,
        echo=str(odd(0.5, "whole", "late", "pieces", "some", "other end") or "none"),
        names=odd(0.35, " ", "=", ": ", ",", "+"),  # type: ignore[arg-type]
        prefix=str(odd(0.3, "VAL ", "*", "> ", "\x02", "OK,", "A:") or ""),
        suffix=str(odd(0.3, " C", "%", " mg/l", " OK", ";", "\x03") or ""),
        prompt=str(odd(0.25, "> ", "\r\nOK\r\n", "csr> ", "$ ", "\r\n>") or ""),
        codes=str(codes or "{}"),
        heading=str((ends and odd(0.2, "STATUS", "Messwert", "---", "reading follows")) or ""),
        pieces=(r.choice((1, 2, 3, 5, 8)), r.choice((0.001, 0.01, 0.06, 0.15, 0.4)))
        if r.random() < 0.4 and not codes
        else None,
        double=str((ends and odd(0.2, "at once", "late", "cut")) or ""),  # `130.5130`: nobody can tell
        late=float(r.choice((0.4, 1.2, 1.8, 2.9))) if r.random() < 0.3 else 0.0,
        late_share=r.choice((0.2, 0.5, 1.0)),
        alarm=str((ends and odd(0.2, "between", "inside", "before")) or ""),
        ends=ends,
        charset=r.choice(tuple(CHARSETS)) if r.random() < 0.4 else "ascii",
        comma=decimals > 0 and r.random() < 0.2,
        thousands=str(odd(0.15, "'", " " if decimals else "'") or ""),  # `4 007` can be two columns as well
        decimals=decimals,
        parity_left=r.random() < 0.05,
        flow=r.random() < 0.1,
        bell=r.random() < 0.1,
        refusal=r.choice(REFUSALS),
        refuses=r.random() < 0.2,
        in_words=r.random() < 0.1,
        silent_share=r.choice((0.1, 0.3)) if r.random() < 0.2 else 0.0,
        turn_round=r.choice((0.002, 0.02, 0.08, 0.15, 0.3)),
        begins_like_its_question=r.random() < 0.3,
        keeps=r.choice(("all", "all", "clamps", "rounds", "nothing", "refuses", "late")),
        loose=r.random() < 0.4,
    )
