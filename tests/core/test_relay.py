"""What a relay says of itself: its plan, the fit of a channel, the chain, a shell's prompt, measured runs."""

from __future__ import annotations

import random
from dataclasses import replace

import pytest
from hypothesis import given
from hypothesis import strategies as st

from ordolex.core.line.notation import read_line
from ordolex.core.line.settings import LineSettings
from ordolex.core.link.state import LinkState, Proof
from ordolex.core.netserial.comport import Code, Message
from ordolex.core.netserial.served import Outputs, in_force, wanted
from ordolex.core.port.endpoint import EndpointError, read_endpoint
from ordolex.core.relay.chain import EndFacts, Settings, chain, first_failing
from ordolex.core.relay.compare import differences
from ordolex.core.relay.fit import UNSEEN, Channel, fit, found_again
from ordolex.core.relay.path_runs import Gathered, PathRun, difference, figures, path_run_of, probe
from ordolex.core.relay.plan import (
    PlanError,
    RelayPlan,
    Starts,
    check,
    named_after,
    offered_words,
    plan_of,
    with_starter,
)
from ordolex.core.relay.shell import shell_prompt

LINE = LineSettings(9600)


# ---- endpoints and plans


@pytest.mark.parametrize(
    ("text", "again", "beyond"),
    [
        ("virtual:oxygen-3", "virtual:oxygen-3", False),
        ("virtual:/dev/ttyOxygen", "virtual:/dev/ttyOxygen", False),
        ("listen+tcp://:4001", "listen+tcp://127.0.0.1:4001", False),
        ("listen+rfc2217://0.0.0.0:0", "listen+rfc2217://0.0.0.0:0", True),
        ("listen+udp://[::1]:7", "listen+udp://[::1]:7", False),
        ("listen+tcp://192.168.1.5:4001", "listen+tcp://192.168.1.5:4001", True),
        ("telnet://box:23", "telnet://box:23", False),
        ("udp://10.0.0.1:5000", "udp://10.0.0.1:5000", False),
    ],
)
def test_ends_are_read_and_listeners_stay_at_home_unless_told(text: str, again: str, beyond: bool) -> None:
    end = read_endpoint(text)
    assert (end.text, end.beyond_loopback) == (again, beyond)
    assert bool(offered_words(end, ())) is beyond


@pytest.mark.parametrize(
    "text", ["virtual:", "virtual:../up", "virtual:a/b", "virtual:/etc/passwd", "udp://h", "listen+tcp://"]
)
def test_ends_that_are_none_say_what_one_looks_like(text: str) -> None:
    with pytest.raises(EndpointError, match=r"like|name|needed"):
        read_endpoint(text)


def test_a_plan_is_kept_and_read_again_also_with_what_a_later_version_added() -> None:
    plan = RelayPlan("n", "virtual:n", "tcp://h:1", line="9600 7E1", allow=("10.0.0.0/8",), tries=3)
    assert plan_of(plan.as_dict() | {"unheard_of": 1}) == plan


@pytest.mark.parametrize(
    ("changes", "why"),
    [
        ({"allow": ("10.0.0.0/8",)}, "neither end listens"),
        ({"a": "listen+tcp://:1", "allow": ("10.0.0.300",)}, "networks, such as"),
        ({"retry_s": 0.0}, "more than 0 s"),
        ({"dials": "h:1"}, "only a listen"),
        ({"passive": True}, "two serial ports"),
        ({"name": "\n"}, "no name"),
        ({"line": "9600 9N1"}, "data bits"),
    ],
)
def test_a_plan_that_cannot_be_says_what_would(changes: dict[str, object], why: str) -> None:
    with pytest.raises(ValueError, match=why):
        check(replace(RelayPlan("n", "virtual:n", "tcp://h:1"), **changes))  # type: ignore[arg-type]
    assert isinstance(PlanError("x"), ValueError)


def test_who_starts_decides_client_listener_or_both() -> None:
    assert with_starter(Starts.PC, "10.0.0.7", 4001) == ("tcp://10.0.0.7:4001", "")
    assert with_starter(Starts.DEVICE, "10.0.0.7", 4001) == ("listen+tcp://0.0.0.0:4001", "")
    assert with_starter(Starts.EITHER, "10.0.0.7", 4001, "127.0.0.1") == (
        "listen+tcp://127.0.0.1:4001",
        "10.0.0.7:4001",
    )


@given(st.text(max_size=80))
def test_a_relay_without_a_name_is_given_one_that_can_be(text: str) -> None:
    check(RelayPlan(named_after(text), "virtual:n", "tcp://h:1"))


# ---- settings


def test_differences_name_the_fields() -> None:
    assert differences(read_line("9600 7E1").settings, read_line("9600 7E1").settings) == ""
    found = differences(read_line("9600 7E1").settings, read_line("19200 8N1").settings)
    assert found == "baud 9600 ≠ 19200, data bits 7 ≠ 8, parity even ≠ none"


def test_a_served_port_takes_what_can_be_and_answers_with_what_is() -> None:
    now = LINE
    for code, value in (
        (Code.SET_BAUDRATE, 57600),
        (Code.SET_DATASIZE, 7),
        (Code.SET_PARITY, 2),
        (Code.SET_STOPSIZE, 3),
    ):
        now = wanted(now, Message(code, value))
    assert now.text == "57600 7O1.5"
    for code, value in ((Code.SET_BAUDRATE, 0), (Code.SET_DATASIZE, 9), (Code.SET_PARITY, 77), (Code.SET_STOPSIZE, 0)):
        assert wanted(now, Message(code, value)) == now
    assert [in_force(now, code) for code in (Code.SET_BAUDRATE, Code.SET_DATASIZE, Code.SET_PARITY)] == [57600, 7, 2]
    outputs = Outputs()
    assert [outputs.obey(value) for value in (7, 9, 7, 10, 5, 4, 6, 4, 200)] == [8, 9, 9, 11, 5, 5, 6, 6, 200]


# ---- the chain


def facts(endpoint: str, *, held: bool = True, heard: bytes = b"", **more: object) -> EndFacts:
    end = read_endpoint(endpoint)
    state = LinkState(LINE, end.without)
    state.seen(1.0)
    if held:
        state.opened(2.0)
    if heard:
        state.heard(heard, None, 3.0)
    return EndFacts(end, state.evidence(), held_s=2.0 if held else None, **more)  # type: ignore[arg-type]


def test_each_layer_stands_by_its_own_evidence() -> None:
    near = facts("virtual:x", path="/tmp/x")
    far = facts("rfc2217://box:4001", heard=b"21.4 C, all is well here\r\n")
    layers = {layer.name: layer for layer in chain(near, far, Settings(LINE, LINE, True), None)}
    assert [layer.good for layer in layers.values()] == [None, True, True, True, None, True, None]
    assert "the kernel does not show" in layers["line settings"].words, "of data bits and parity nobody knows"
    assert "set and read back" in layers["line settings"].words and "not asked" in layers["device"].words
    proof = Proof("ID?", "OX-2", 12.0, 4.0)
    assert chain(near, far, Settings(LINE, LINE, True), proof)[-1].good is True
    stale = chain(near, far, Settings(LINE, LINE, True), None, before=proof)[-1]
    assert stale.good is None and "before" in stale.words


@pytest.mark.parametrize(
    ("near", "far", "settings", "name"),
    [
        (
            facts("virtual:x"),
            facts("tcp://h:1", held=False, error="nothing listens at h:1", tries=4),
            (None, LINE),
            "network",
        ),
        (facts("virtual:x"), facts("rfc2217://h:1"), (LineSettings(19200), LINE), "line settings"),
        (facts("virtual:x", held=False, error="no rights"), facts("tcp://h:1"), (None, LINE), "virtual port"),
        (facts("virtual:x"), facts("/dev/ttyUSB0", held=False, error="held by x"), (None, LINE), "serial port"),
    ],
)
def test_the_first_layer_that_fails_is_named(
    near: EndFacts, far: EndFacts, settings: tuple[LineSettings | None, LineSettings], name: str
) -> None:
    failing = first_failing(chain(near, far, Settings(*settings, pushed=False), None))
    assert failing is not None and failing.name == name


def test_a_box_that_says_open_is_not_said_to_be_more() -> None:
    layers = chain(facts("virtual:x"), facts("tcp://h:1"), Settings(None, LINE, True), None)
    box = next(layer for layer in layers if layer.name == "box")
    assert box.good is None and "does not tell" in box.words
    assert all("connected" not in layer.words for layer in layers)


def test_nothing_is_said_to_be_in_force_at_an_end_that_is_away() -> None:
    layers = chain(facts("virtual:x"), facts("rfc2217://h:1", held=False), Settings(LINE, LINE, True), None)
    line = next(layer for layer in layers if layer.name == "line settings")
    assert line.good is None and "once the far end stands" in line.words


# ---- a channel's mode, and a box that moved

CHANNELS = [
    ("rfc2217", "rfc2217", True), ("rfc2217", "tcp", False), ("tcp", "rfc2217", False), ("tcp", "tcp", True),
    ("rfc2217", "caller", False), ("rfc2217", "nothing", False), ("caller", "tcp", False), ("rfc2217", "", None),
]  # fmt: skip


@pytest.mark.parametrize(("want", "gives", "good"), CHANNELS)
def test_a_mode_that_does_not_fit_is_said_before_it_is_mapped(want: str, gives: str, good: bool | None) -> None:
    found = fit(Channel(2, 4002, "m", gives, "9600 8N1"), want)
    assert found.good is good and (good or found.do)
    assert fit(Channel(2, 4002, "m", gives, holder="10.0.0.3:99"), want).good is False


def test_a_channel_that_was_only_silent_is_not_called_one_with_plain_bytes() -> None:
    seen = fit(Channel(2, 4002, "", "tcp"), "rfc2217")
    assert seen.good is None and "slow, or" in seen.words and seen.do
    assert fit(Channel(2, 4002, "raw", "tcp"), "rfc2217").good is False, "its console told so"
    assert "held by somebody else, or closed to us" in fit(Channel(2, 4002, "", "", holder=UNSEEN), "rfc2217").words


@pytest.mark.parametrize(
    ("old", "new", "good", "said"),
    [
        ("silent", "answered", True, "is at new now"),
        ("refused", "answered", True, "is at new now"),
        ("answered", "answered", False, "two boxes"),
        ("answered", "silent", False, "not restarted"),
        ("silent", "silent", False, "serial console"),
        ("unreachable", "refused", False, "serial console"),
    ],
)
def test_after_a_change_of_address_it_is_said_which_of_the_two_is_not_so(
    old: str, new: str, good: bool, said: str
) -> None:
    found = found_again("old", "new", old, new)
    assert found.good is good and said in f"{found.words} {found.do}"


# ---- a shell's prompt

PROMPTS = [
    b"keeper@weir-gateway:~$ ", b"Linux 6.1\r\n\r\nroot@box:/etc# ", b"[op@plc1 log]$ ", b"# ", b"\r\n$ ",
    b"/ # ", b"~ $ ",
    b"bash-5.2$ ", b"/home/op $ ", b"\x1b[1;32mop@box\x1b[0m:\x1b[34m~\x1b[0m$ ", b"C:\\Users\\op>",
    b"\x1b]0;op@box\x07op@box:~% ",
]  # fmt: skip
NONE = [
    b"login: ", b"password: ", b"$GPGGA,1,2*33\r\n", b"OK\r\n", b"temp 21.4 C\r\n", b"box (locked)> ", b"choice: ",
    b"#12 7.5\r\n",
    b"price 100$ a piece\r\n", b"", b"\x00\x01\xff", b"> ", b"AT+CSQ\r\r\n",
    b"50 %", b"level 47 %", b"+CSQ: 12,99\r\n> ",
]  # fmt: skip


@pytest.mark.parametrize("tail", PROMPTS)
def test_a_shell_without_login_is_seen(tail: bytes) -> None:
    assert shell_prompt(tail)


@pytest.mark.parametrize("tail", [b"switch-3#", b"edge(config)# ", b"PS C:\\> ", b"admin@10.0.0.1> ", b"op@mac ~ % "])
def test_prompts_that_nobody_wrote_the_pattern_for_are_seen(tail: bytes) -> None:
    assert shell_prompt(b"\r\nsomething before\r\n" + tail)


@pytest.mark.parametrize("tail", NONE)
def test_other_prompts_are_no_shell(tail: bytes) -> None:
    assert shell_prompt(tail) == ""


# ---- measured runs


@given(st.lists(st.integers(20, 300), min_size=1, max_size=12), st.randoms(use_true_random=False))
def test_probes_are_found_whatever_they_are_cut_into(sizes: list[int], dice: random.Random) -> None:
    stream = b"".join(probe(7, number, size) for number, size in enumerate(sizes))
    gathered, got, at = Gathered(7), [], 0
    while at < len(stream):
        step = dice.randrange(1, 40)
        got += gathered.arrived(stream[at : at + step])
        at += step
    assert got == list(range(len(sizes))) and not (gathered.counted.wrong or gathered.counted.doubled)


def test_lost_wrong_and_doubled_blocks_are_told_apart() -> None:
    blocks = [probe(7, number, 64) for number in range(6)]
    broken = bytearray(blocks[2])
    broken[30] ^= 1
    gathered = Gathered(7)
    gathered.counted.sent = 6
    gathered.arrived(b"noise" + blocks[0] + blocks[1] + blocks[1] + bytes(broken) + probe(8, 3, 64) + blocks[4])
    counted = gathered.counted
    assert (counted.back, counted.doubled, counted.lost) == (3, 1, 1)
    assert counted.wrong == 2, "one that was changed, one of another run"


def made(name: str, trips: list[float]) -> PathRun:
    return PathRun(name, 1, "question", {"path": "p"}, tuple(trips), len(trips), 0, 0, 0)


def test_a_difference_is_claimed_only_where_chance_would_not_make_it() -> None:
    dice = random.Random(16)
    same = [made(n, [dice.gauss(50, 5) for _ in range(40)]) for n in "ab"]
    later = made("c", [dice.gauss(70, 5) for _ in range(40)])
    assert "no difference" in difference(*same).words()  # type: ignore[union-attr]
    found = difference(same[0], later)
    assert found is not None and found.low < 20 < found.high + 3 and "slower" in found.words()
    few = difference(made("x", [1.0, 2.0]), made("y", [9.0, 9.5]))
    assert few is not None and "too few" in few.words()
    assert difference(made("x", []), later) is None


def test_figures_are_those_of_the_nearest_rank_and_a_run_is_read_again() -> None:
    run = made("r", [float(n) for n in range(1, 101)])
    assert figures(run) == {"median_ms": 50.0, "p95_ms": 95.0, "worst_ms": 100.0}
    assert path_run_of(run.as_dict()) == run
    assert figures(made("none", [])) == {"median_ms": None, "p95_ms": None, "worst_ms": None}
