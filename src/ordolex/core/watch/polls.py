"""What is asked for in a round: items that stand in one answer are asked for once, neighbouring registers in one read,
and how much of a line's time each question takes."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field, replace

from ordolex.core.line.settings import LineSettings
from ordolex.core.protocols.modbus.address import Block, Place, blocks
from ordolex.core.protocols.modbus.frames import quiet_s
from ordolex.core.text.counts import counted
from ordolex.core.watch.round import Round, RoundItem

ASSUMED_ANSWER_S = 0.03
"""How long a device takes to begin its answer, where that was not measured."""
_ASSUMED_TEXT = 24
_AFTER_LINE_S = 0.03
_FRAME = {"modbus-rtu": 4, "modbus-ascii": 9, "modbus-tcp": 8}
"""Bytes of a frame besides its payload, one way (unit, check; start, end and doubled digits; MBAP header)."""


@dataclass(frozen=True, slots=True)
class Poll:
    """One question that is asked again and again on a link.

    key       what makes it this one
    link      the link's name
    items     who has a value in its answer
    sent, answered  characters on the line
    """

    key: str
    link: str
    items: tuple[str, ...]
    every_s: float
    timeout_s: float
    sent: int
    answered: int
    unit: int = -1
    ask: bytes = b""
    block: Block | None = None
    speaks: str = "text"

    def seconds(self, line: LineSettings, turn_round_s: float) -> float:
        """How long it takes on a line: characters both ways, the device's response time, silence between frames."""
        silence = quiet_s(line.characters_per_s, line.baud) if self.speaks == "modbus-rtu" else 0.0
        if self.ask:  # a line of text ends with a short silence behind it
            silence = max(_AFTER_LINE_S, 4 / line.characters_per_s)
        return line.seconds_for(self.sent + self.answered) + turn_round_s + silence


def polls_of(
    round_: Round, link: str, speaks: str, ask_of: Callable[[RoundItem], tuple[bytes, int]], unit: int, gap: int = 8
) -> list[Poll]:
    """The polls of one link. `ask_of` gives what is sent for an item and how many characters are usually answered;
    nothing is sent for what is only heard."""
    out: list[Poll] = []
    mine = [item for item in round_.item if item.link == link and not item.derive and not item.hear]
    texts: dict[tuple[bytes, float], Poll] = {}
    registers: dict[tuple[int, float, float], list[RoundItem]] = {}
    for item in mine:
        if item.modbus is not None:
            at = item.unit_id if item.unit_id >= 0 else unit
            registers.setdefault((at, item.every_s, item.timeout_s), []).append(item)
            continue
        data, answered = ask_of(item)
        if not data:
            continue
        known = texts.get((data, item.every_s))
        if known is not None:
            texts[data, item.every_s] = replace(known, items=(*known.items, item.name))
        else:
            texts[data, item.every_s] = Poll(
                f"{link}: {data!r} every {item.every_s:g} s", link, (item.name,), item.every_s, item.timeout_s,
                len(data), answered or _ASSUMED_TEXT, ask=data,
            )  # fmt: skip
    out += texts.values()
    for (at, every_s, timeout_s), items in registers.items():
        wanted = {item.name: item.modbus for item in items if item.modbus is not None}
        for block in blocks(((one.place, one.count) for one in wanted.values()), gap):
            names = tuple(n for n, one in wanted.items() if block.holds(one.place, one.count))
            out.append(_of_block(link, speaks, at, block, names, every_s, timeout_s))
    return out


def _of_block(
    link: str, speaks: str, unit: int, block: Block, names: tuple[str, ...], every_s: float, timeout_s: float
) -> Poll:
    bits = block.place.table in ("coil", "discrete")
    payload = (block.count + 7) // 8 if bits else 2 * block.count
    twice = 2 if speaks == "modbus-ascii" else 1
    frame = _FRAME.get(speaks, 4)
    sent = frame + 4 * twice if speaks != "modbus-ascii" else frame + 8
    key = f"{link}: unit {unit}, {block.count} from {block.place.table} {block.place.address} every {every_s:g} s"
    return Poll(
        key, link, names, every_s, timeout_s, sent, frame + (1 + payload) * twice, unit, block=block, speaks=speaks
    )


_NOTHING_TOOK: Mapping[str, float] = {}


@dataclass(frozen=True, slots=True)
class Advice:
    """What would make it fit, and the share of the line's time that it would give back."""

    words: str
    gain: float


@dataclass(frozen=True, slots=True)
class LinkPlan:
    """A link's share of its line's time. `turn_round_s` is what a device takes to begin its answer, and `known` says
    whether that was measured."""

    link: str
    line: str
    polls: tuple[Poll, ...]
    seconds: tuple[float, ...]
    turn_round_s: float
    known: bool
    advice: tuple[Advice, ...] = field(default=())

    @property
    def share(self) -> float:
        """Of the line's time; above 1 it does not fit."""
        return sum(seconds / poll.every_s for poll, seconds in zip(self.polls, self.seconds, strict=True))

    @property
    def fits(self) -> bool:
        return self.share <= 1.0

    @property
    def pass_s(self) -> float:
        """How long one pass of all questions takes: no interval of all of them can be shorter."""
        return sum(self.seconds)

    @property
    def words(self) -> str:
        how = "measured" if self.known else "assumed"
        what = f"{counted(len(self.polls), 'question')}, {self.share:.0%} of the line's time"
        end = f"response time {self.turn_round_s * 1000:.0f} ms {how}"
        return f"{what}; one pass takes {self.pass_s:.2f} s; {end}"


def plan_link(
    link: str, line: LineSettings, polls: Sequence[Poll], turn_round_s: float | None,
    took_s: Mapping[str, float] = _NOTHING_TOOK,
) -> LinkPlan:  # fmt: skip
    """`turn_round_s` is what was measured, None where nothing was; `took_s` how long questions took, by their key: how
    much passes for one that is no register is assumed before it was measured, and a protocol may open and close."""
    turn = ASSUMED_ANSWER_S if turn_round_s is None else turn_round_s
    seconds = tuple(
        took_s[poll.key] if poll.block is None and poll.key in took_s else poll.seconds(line, turn) for poll in polls
    )
    plan = LinkPlan(link, line.text, tuple(polls), seconds, turn, turn_round_s is not None)
    return replace(plan, advice=tuple(_advice(plan, line, turn)))


def _advice(plan: LinkPlan, line: LineSettings, turn_s: float) -> list[Advice]:
    if plan.share <= 0.9:
        return []
    out = []
    merged = _merged(plan.polls)
    if len(merged) < len(plan.polls):
        share = sum(poll.seconds(line, turn_s) / poll.every_s for poll in merged)
        if share < plan.share:
            count = f"{len(merged)} reads in place of {len(plan.polls)}"
            words = f"read neighbouring registers at one interval and together: {count}"
            out.append(Advice(words, plan.share - share))
    slower = plan.share / 0.8
    out.append(Advice(f"ask {slower:.1f} times slower", plan.share - 0.8))
    faster = next((rate for rate in (9600, 19200, 38400, 57600, 115200) if rate > line.baud), None)
    if faster is not None:
        other = replace(line, baud=faster)
        share = sum(
            max(0.0, s + poll.seconds(other, turn_s) - poll.seconds(line, turn_s)) / poll.every_s
            for poll, s in zip(plan.polls, plan.seconds, strict=True)
        )
        out.append(Advice(f"use {faster} baud, if every device on it can", plan.share - share))
    return sorted(out, key=lambda one: -one.gain)


def _merged(polls: Sequence[Poll]) -> list[Poll]:
    """The same registers, as if neighbours up to the protocol's limits were read together at the shortest interval."""
    out = [poll for poll in polls if poll.block is None]
    by_unit: dict[tuple[int, str], list[Poll]] = {}
    for poll in polls:
        if poll.block is not None:
            by_unit.setdefault((poll.unit, poll.block.place.table), []).append(poll)
    for (unit, _), ours in by_unit.items():
        wanted: list[tuple[Place, int]] = [(p.block.place, p.block.count) for p in ours if p.block is not None]
        for block in blocks(wanted, 60):
            inside = [p for p in ours if p.block is not None and block.holds(p.block.place, p.block.count)]
            names = tuple(name for poll in inside for name in poll.items)
            every = min(poll.every_s for poll in inside)
            out.append(_of_block(ours[0].link, ours[0].speaks, unit, block, names, every, ours[0].timeout_s))
    return out
