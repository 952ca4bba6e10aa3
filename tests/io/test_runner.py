"""The link runner on the memory twin: the one tap, turns, deadlines, loss and return."""

import asyncio
import threading
from collections.abc import Callable

import pytest

from ordolex.core.line.settings import LineSettings
from ordolex.core.link.exchange import Ended
from ordolex.core.link.judge import LineErrors
from ordolex.core.link.ladder import Rung
from ordolex.core.link.question import Question, Verdict
from ordolex.core.port.endpoint import Endpoint
from ordolex.io.link.runner import LinkRunner
from ordolex.io.system.faults import Fault, PortHeld, PortLost, PortMissing, PortStuck, Unreachable
from ordolex.io.transport.base import Listener, Transport
from ordolex.io.transport.twins import FaultyTransport, MemoryTransport
from ordolex.io.work.rate import NotAlike, clean_rates
from tests.conftest import Notes, until
from tests.strangers.made_up_clock import run

LINE = LineSettings(19200)


def instrument(port: MemoryTransport, data: bytes) -> None:
    if data == b"*IDN?\n":
        port.say(b"Brookmade,OX-2,")
        port.say(b"unit 1,1.14\n")


def running(notes: Notes, twin: Transport, make: Callable[[], Transport] | None = None) -> LinkRunner:
    return LinkRunner(1, "/dev/made-up", LINE, notes, lambda endpoint: make() if make else twin)


async def test_a_question_climbs_the_ladder_and_everything_is_recorded_first(notes: Notes) -> None:
    runner = running(notes, MemoryTransport(instrument))
    assert runner.rung is Rung.ABSENT
    await runner.open()
    assert runner.rung is Rung.HELD
    answer = await runner.ask(Question(b"*IDN?\n"))
    assert answer.verdict is Verdict.RIGHT and answer.ended is Ended.LINE_END
    assert runner.rung is Rung.PROVEN
    evidence = runner.view().evidence
    assert evidence.proof is not None and evidence.proof.answer == "Brookmade,OX-2,unit 1,1.14"
    assert notes.bytes("tx") == b"*IDN?\n" and notes.bytes("rx") == b"Brookmade,OX-2,unit 1,1.14\n"
    await runner.release()
    assert runner.rung is Rung.PRESENT
    assert [e.text for e in notes.events if e.kind == "rung"] == [
        "Absent → Held", "Held → Heard", "Heard → Clear", "Clear → Proven", "Proven → Present",
    ]  # fmt: skip
    assert {"opened", "answer", "released"} <= set(notes.kinds())


async def test_questions_wait_for_their_turn(notes: Notes) -> None:
    def slow_echo(port: MemoryTransport, data: bytes) -> None:
        asyncio.get_running_loop().call_later(0.03, port.say, b"re " + data)

    twin = MemoryTransport(slow_echo)
    runner = running(notes, twin)
    await runner.open()
    questions = [b"one\n", b"two\n", b"three\n"]
    answers = await asyncio.gather(*(runner.ask(Question(q)) for q in questions))
    assert [a.data for a in answers] == [b"re " + q for q in questions]
    assert [d for d, _, _ in notes.passed] == ["tx", "rx"] * 3
    await runner.release()


async def test_no_answer_and_line_errors_are_told(notes: Notes) -> None:
    def garbler(port: MemoryTransport, data: bytes) -> None:
        if data == b"garble\n":
            port.say(b"\xf8\xfe", LineErrors(framing=2))

    runner = running(notes, MemoryTransport(garbler))
    await runner.open()
    silent = await runner.ask(Question(b"hello\n", timeout_s=0.05))
    assert silent.ended is Ended.NOTHING and runner.rung is Rung.HELD
    garbled = await runner.ask(Question(b"garble\n", timeout_s=0.5))
    assert garbled.errors.framing == 2 and runner.rung is Rung.HEARD
    assert runner.view().evidence.errors.words() == "2 framing errors"
    await runner.release()


async def test_waiting_can_be_stopped_and_what_came_is_kept(notes: Notes) -> None:
    runner = running(notes, MemoryTransport(lambda port, data: port.say(b"half an ans")))
    await runner.open()
    asking = asyncio.ensure_future(runner.ask(Question(b"x\n", until=b"never", timeout_s=30)))
    await until(lambda: runner.view().evidence.heard)
    runner.stop_asking()
    answer = await asyncio.wait_for(asking, 1)
    assert (answer.ended, answer.data) == (Ended.STOPPED, b"half an ans")
    await runner.release()


async def test_a_port_lost_in_mid_answer_ends_it_and_comes_back(notes: Notes, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("ordolex.io.link.comes_back._RETRY_S", (0.02,))
    twins: list[MemoryTransport] = []

    def make() -> MemoryTransport:
        twin = MemoryTransport(lambda port, data: port.say(b"part"))
        if len(twins) in (1, 2):
            twin.fault_at_open = PortMissing("there is no port /dev/made-up")
        twins.append(twin)
        return twin

    runner = running(notes, MemoryTransport(), make)
    await runner.open()
    asking = asyncio.ensure_future(runner.ask(Question(b"x\n", until=b"end", timeout_s=30)))
    await until(lambda: runner.view().evidence.heard)
    twins[0].vanish()
    answer = await asyncio.wait_for(asking, 1)
    assert (answer.ended, answer.data) == (Ended.LOST, b"part")
    assert runner.rung is Rung.ABSENT
    await until(lambda: runner.view().returning)
    await until(lambda: runner.is_open and "back" in notes.kinds())
    assert runner.rung is Rung.HELD and len(twins) == 4
    (back,) = [e for e in notes.events if e.kind == "back"]
    assert "try 3" in back.text
    await runner.release()


async def test_a_link_that_waits_follows_its_adapter_and_is_proven_again(
    notes: Notes, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr("ordolex.io.link.comes_back._RETRY_S", (0.02,))
    twins: dict[str, MemoryTransport] = {"/dev/old": MemoryTransport(instrument)}

    def make(endpoint: Endpoint) -> MemoryTransport:
        if endpoint.text not in twins:
            raise AssertionError(f"nobody told of {endpoint.text}")
        return twins[endpoint.text]

    runner = LinkRunner(1, "/dev/old", LINE, notes, make)
    await runner.open()
    await runner.ask(Question(b"*IDN?\n"))
    twins["/dev/old"].fault_at_open = PortMissing("there is no port /dev/old")
    twins["/dev/old"].vanish()
    await until(lambda: "no port /dev/old" in runner.view().returning)
    twins["/dev/new"] = MemoryTransport(instrument)
    runner.move("/dev/new")
    await until(lambda: runner.rung is Rung.PROVEN)
    assert runner.view().endpoint == "/dev/new" and twins["/dev/new"].written == b"*IDN?\n"
    assert any("is now at /dev/new" in e.text for e in notes.events)
    await runner.release()


async def test_releasing_while_gone_ends_the_return(notes: Notes, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("ordolex.io.link.comes_back._RETRY_S", (0.01,))
    first = MemoryTransport()
    made: list[MemoryTransport] = []

    def make() -> MemoryTransport:
        made.append(first if not made else MemoryTransport())
        return made[-1]

    runner = running(notes, first, make)
    await runner.open()
    first.vanish()
    await runner.release()
    await asyncio.sleep(0.05)
    assert not runner.is_open and len(made) == 1


async def test_a_refused_port_says_why_on_the_ladder(notes: Notes) -> None:
    twin = MemoryTransport()
    twin.fault_at_open = PortHeld("/dev/made-up is held by logger (process 812)", "close it there")
    runner = running(notes, twin)
    with pytest.raises(PortHeld):
        await runner.open()
    assert runner.rung is Rung.PRESENT
    assert "held by logger" in runner.view().evidence.trouble
    assert "refused" in notes.kinds()


async def test_an_unreachable_host_is_not_claimed_to_be_present(notes: Notes) -> None:
    twin = MemoryTransport()
    twin.fault_at_open = Unreachable("nothing listens at host:1", "check the TCP port")
    runner = LinkRunner(1, "tcp://host:1", LINE, notes, lambda endpoint: twin)
    with pytest.raises(Unreachable):
        await runner.open()
    assert runner.rung is Rung.ABSENT


async def test_opening_twice_at_once_opens_once(notes: Notes) -> None:
    class Slow(MemoryTransport):
        opened = 0

        async def open(self, line: LineSettings, listener: Listener) -> None:
            Slow.opened += 1
            await asyncio.sleep(0.03)
            await super().open(line, listener)

    runner = running(notes, MemoryTransport(), Slow)
    await asyncio.gather(runner.open(), runner.open())
    assert Slow.opened == 1 and runner.is_open
    opening = asyncio.ensure_future(runner.release())
    await asyncio.gather(opening, runner.open())
    await runner.release()
    assert not runner.is_open


async def test_bytes_that_could_not_be_sent_are_marked_in_the_record(notes: Notes) -> None:
    runner = running(notes, FaultyTransport(MemoryTransport(), write_fault=PortLost("it takes no bytes")))
    await runner.open()
    with pytest.raises(PortLost):
        await runner.ask(Question(b"x\n"))
    assert any("did not all go out, perhaps none: it takes no bytes" in e.text for e in notes.events)
    await runner.release()


async def test_asking_a_closed_port_is_refused(notes: Notes) -> None:
    runner = running(notes, MemoryTransport())
    with pytest.raises(PortLost, match="open it in Find first"):
        await runner.ask(Question(b"x\n"))
    assert notes.passed == []


async def test_a_port_that_takes_no_bytes_is_told_and_does_not_hang(
    notes: Notes, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr("ordolex.io.link.outgoing._STUCK_AFTER_S", 0.05)
    runner = running(notes, FaultyTransport(MemoryTransport(), write_hangs=True))
    await runner.open()
    with pytest.raises(PortStuck, match="flow control"):
        await runner.ask(Question(b"x\n"))
    await runner.release()


async def test_retuning_sets_the_open_port_and_takes_the_proof_away(notes: Notes) -> None:
    twin = MemoryTransport(instrument)
    runner = running(notes, twin)
    await runner.open()
    await runner.ask(Question(b"*IDN?\n"))
    await runner.retune(LineSettings(9600))
    assert twin.line == LineSettings(9600) and runner.rung is Rung.HELD
    assert "settings" in notes.kinds()
    await runner.release()


async def test_a_full_recorder_pauses_the_port_and_lets_it_go_on(notes: Notes) -> None:
    twin = MemoryTransport()
    runner = running(notes, twin)
    await runner.open()
    notes.full = True
    twin.say(b"first")
    twin.say(b"second")
    assert notes.bytes("rx") == b"first"
    notes.full = False
    await until(lambda: notes.bytes("rx") == b"firstsecond")
    await runner.release()


async def test_hostile_bytes_pass_through_whole(notes: Notes) -> None:
    twin = MemoryTransport()
    runner = running(notes, twin)
    await runner.open()
    hostile = b"\x00\x1b]0;x\x07\x1b[2J\xff\xfe\xc3" + b"y" * 1_000_000
    twin.say(hostile)
    assert notes.bytes("rx") == hostile
    items, forgotten = runner.feed.drain()
    assert sum(len(i.data) for i in items) + forgotten == len(hostile)
    await runner.release()


async def test_faults_are_faults_only(notes: Notes) -> None:
    twin = MemoryTransport()
    twin.fault_at_open = Fault("odd", "do this")
    with pytest.raises(Fault, match="odd; do this"):
        await running(notes, twin).open()


@pytest.mark.parametrize(
    ("odd", "comes"),
    [
        (4, ""),  # cut, late, with the end of the one before, whole: as at 300 baud on a busy computer
        (99, "the answers differ"),
    ],
)
async def test_answers_that_are_odd_at_first_are_no_reference(notes: Notes, odd: int, comes: str) -> None:
    asked: list[bytes] = []

    def device(port: MemoryTransport, data: bytes) -> None:
        asked.append(data)
        port.say(b"release 4.1\r\n" if len(asked) > odd else b"%d\r\n" % len(asked))

    runner = running(notes, MemoryTransport(device))
    await runner.open()
    question = Question(b"version\r", timeout_s=2.0)
    if comes:
        with pytest.raises(NotAlike, match=comes):
            await clean_rates(runner, [38400], lambda baud: b"", question, times=2)
        assert runner.line.baud == 19200
    else:
        rows = await clean_rates(runner, [38400], lambda baud: b"", question, times=2)
        assert [(row.baud, row.clean) for row in rows] == [(19200, True), (38400, True)]
    await runner.release()


async def test_a_pause_in_an_answer_says_nothing_of_a_rate_and_a_byte_that_is_missing_does(notes: Notes) -> None:
    asked: list[bytes] = []

    def device(port: MemoryTransport, data: bytes) -> None:
        asked.append(data)
        port.say(data + b"\r\nfeeder 3\r\n")
        rest = b"relea 4.1\r\n" if len(asked) == 8 else b"release 4.1\r\n"
        asyncio.get_running_loop().call_later(0.4 if len(asked) == 5 else 0.0, port.say, rest)

    runner = running(notes, MemoryTransport(device))
    await runner.open()
    rows = await clean_rates(runner, [38400], lambda baud: b"", Question(b"version\r", timeout_s=2.0), times=3)
    assert [(row.baud, row.faults.total) for row in rows] == [(19200, 0), (38400, 2)], "the fifth paused, and was whole"
    assert rows[1].faults.missing == 2 and not rows[1].clean and runner.line.baud == 19200
    await runner.release()


@pytest.mark.parametrize(
    ("odd", "pause_s"), [(6, 0.4), (7, 1.4)], ids=["while both change", "longer than the time-out"]
)
async def test_the_rest_of_an_answer_that_paused_is_not_held_against_a_rate(
    notes: Notes, odd: int, pause_s: float
) -> None:
    asked: list[bytes] = []

    def device(port: MemoryTransport, data: bytes) -> None:
        asked.append(data)
        port.say(data + b"\r\nfeed")
        pause = pause_s if len(asked) == odd else 0.0
        asyncio.get_running_loop().call_later(pause, port.say, b"er 3\r\nrelease 4.1\r\nOK\r\n")

    runner = running(notes, MemoryTransport(device))
    await runner.open()
    question = Question(b"version\r", like="(?s).*OK", timeout_s=1.0)
    rows = await clean_rates(runner, [38400], lambda baud: b"", question, times=3)
    assert [(row.baud, row.faults.total) for row in rows] == [(19200, 0), (38400, 0)]
    await runner.release()


@pytest.mark.parametrize("at", [1, 4, 6])
def test_a_search_for_the_fastest_rate_that_is_stopped_brings_both_back(notes: Notes, at: int) -> None:
    device_at = [19200]
    asked: list[int] = []
    stop = threading.Event()

    async def search() -> None:
        def device(port: MemoryTransport, data: bytes) -> None:
            loop = asyncio.get_running_loop()
            if data.startswith(b"rate"):
                device_at[0] = int(data[4:])
                return
            asked.append(port.line.baud)
            if port.line.baud != device_at[0]:
                return
            clean = port.line.baud < 115200
            loop.call_later(0.3, port.say, b"release 4.1\r\n" if clean else b"rel\xffase 4.1\r\n")
            if port.line.baud > 19200 and asked.count(port.line.baud) == at:
                stop.set()
                loop.call_later(0.1, runner.stop_asking)

        twin = MemoryTransport(device)
        runner = LinkRunner(1, "rfc2217://127.0.0.1:1", LineSettings(19200), notes, lambda endpoint: twin)
        await runner.open()
        began = asyncio.get_running_loop().time()
        rows = await clean_rates(
            runner, [38400, 115200], lambda baud: b"rate%d" % baud, Question(b"version\r", timeout_s=2.0), times=3,
            stopped=stop.is_set,
        )  # fmt: skip
        took_s = asyncio.get_running_loop().time() - began
        assert device_at[0] == runner.line.baud == max(row.baud for row in rows if row.clean), (device_at, rows)
        assert took_s < 12, "whole answers are not waited for until the time-out"
        await runner.release()

    run(search())
