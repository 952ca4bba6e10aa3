"""Asking everywhere: thirty-two ports, one of them live, in the time of one try."""

import asyncio
from collections.abc import Awaitable

import pytest

from ordolex.bench.serve import Bench
from ordolex.core.line.notation import read_line
from ordolex.core.link.exchange import Ended
from ordolex.core.link.judge import LineErrors
from ordolex.core.link.question import Question
from ordolex.core.port.endpoint import Endpoint
from ordolex.core.text import nmea0183
from ordolex.io.link.everywhere import Try, ask_everywhere, longest_s, words
from ordolex.io.ports.survey import PortFacts
from ordolex.io.transport.base import Transport
from ordolex.io.transport.open import transport_for
from ordolex.io.transport.twins import MemoryTransport
from tests.conftest import OXYGEN, Notes, ServeBench, until

LINE = read_line("19200 8N1").settings


async def thirty_two(serve_bench: ServeBench) -> tuple[Bench, list[PortFacts]]:
    """Thirty-one ports whose device says nothing, and one that answers."""
    bench = await serve_bench(*({**OXYGEN, "name": f"port {n:02}"} for n in range(32)))
    for n in range(32):
        if n != 17:
            await bench.obey(f"silent port {n:02} on")
    return bench, [PortFacts(d.endpoint, d.name, "bench", "", d.state) for d in bench.notice().devices]


async def test_one_live_port_of_thirty_two_is_found_with_all_asked_at_once(
    serve_bench: ServeBench, notes: Notes
) -> None:
    bench, ports = await thirty_two(serve_bench)
    ports[3] = PortFacts(ports[3].endpoint, "port 03", "bench", "", "held", "logger (process 812)")
    question = Question(b"*IDN?\n", timeout_s=3.0)
    seen: list[Try] = []
    asking = asyncio.ensure_future(ask_everywhere(ports, LINE, question, seen.append, notes))
    await until(lambda: sum(device.state == "held" for device in bench.notice().devices) == 31, 60)
    tries = await asking
    assert len(tries) == len(seen) == 32
    assert [t.port.name for t in tries if t.answered] == ["port 17"]
    assert [t.why for t in tries if t.port.name == "port 03"] == ["skipped: held by logger (process 812)"]
    assert longest_s(ports, LINE, question) < 5, "one round"
    assert notes.kinds().count("try") == 32 and notes.events[-1].kind == "everywhere"
    assert "port 17 answered" in notes.events[-1].text


async def test_stopping_lets_every_port_go_at_once(serve_bench: ServeBench, notes: Notes) -> None:
    bench, ports = await thirty_two(serve_bench)
    sent: list[str] = []

    def counted(endpoint: Endpoint) -> Transport:
        transport = transport_for(endpoint)
        write = transport.write

        async def written(data: bytes) -> None:
            await write(data)
            sent.append(endpoint.text)

        transport.write = written  # type: ignore[method-assign]
        return transport

    question = Question(b"x\n", timeout_s=90)
    asking = asyncio.ensure_future(ask_everywhere(ports, LINE, question, lambda t: None, notes, counted))
    await until(lambda: len(sent) == 32, 60)
    asking.cancel()
    with pytest.raises(asyncio.CancelledError):
        await asking
    assert notes.events[-1].kind == "everywhere"
    stopped = [event for event in notes.events if event.kind == "try"]
    assert len(stopped) == 32 and all(event.detail["sent_hex"] == "780a" for event in stopped), "what went out is kept"
    await until(lambda: all(device.state == "free" for device in bench.notice().devices), 30)
    again = await ask_everywhere(ports[17:18], LINE, Question(b"*IDN?\n"), lambda t: None, notes)
    assert again[0].answered, "the port is free again"


async def test_a_device_at_other_settings_is_heard_but_not_taken_for_an_answer(
    serve_bench: ServeBench, notes: Notes
) -> None:
    bench = await serve_bench(OXYGEN)
    port = PortFacts(bench.notice().devices[0].endpoint, "oxygen", "bench", "", "free")
    (done,) = await ask_everywhere([port], read_line("9600 8N1").settings, Question(b"*IDN?\n"), lambda t: None, notes)
    assert done.heard and not done.answered
    assert "at other settings" in notes.events[0].text


async def test_who_talks_without_a_pause_is_not_listened_to_for_ever(serve_bench: ServeBench, notes: Notes) -> None:
    bench = await serve_bench({"name": "a", "kind": "teletype", "line": "9600 7E1", "interval_s": 0.0})
    device = bench.notice().devices[0]
    port = PortFacts(device.endpoint, device.name, "bench", "", device.state)
    question = Question(b"*IDN?\n", timeout_s=0.3)
    for _ in range(20):
        (done,) = await ask_everywhere([port], LINE, question, lambda one: None, notes)
        assert done.answer is not None and done.answer.data and not done.answered
        if done.answer.ended is not Ended.SILENCE:  # a busy computer held the stand-in up: that was a pause
            break
    assert done.answer.ended is Ended.STOPPED, "at its own limit, not at that of an answer without end"


async def test_a_clean_piece_of_what_reads_badly_is_no_answer(notes: Notes) -> None:
    """A piece of a talker's text has even parity by luck; only what comes behind it shows that the settings differ."""

    def talker(port: MemoryTransport, data: bytes) -> None:
        if data == b"C\r":
            port.say(b"| water 8.4", LineErrors(parity=7))
        else:
            port.say(b"--------+\r\n")

    def probe(port: MemoryTransport, data: bytes) -> None:
        port.say({b"B\r": b"7.25,8.1\r\n", b"C\r": b"7.30,8.0\r\n"}[data])

    ports = [PortFacts(f"/dev/{name}", name, "made up", "", "free") for name in ("talker", "probe")]
    question = Question(b"{unit}\r", timeout_s=0.3)
    tries = await ask_everywhere(
        ports, LINE, question, lambda one: None, notes,
        lambda endpoint: MemoryTransport(talker if "talker" in endpoint.text else probe), ("B", "C"),
    )  # fmt: skip
    assert {(one.port.name, one.unit) for one in tries if one.answered} == {("probe", "B"), ("probe", "C")}
    doubted = next(one for one in tries if (one.port.name, one.unit) == ("talker", "B"))
    assert doubted.answer is not None and not doubted.answer.errors.total, "the piece itself had none"
    assert "7 parity errors" in words(doubted) and "other settings" in words(doubted)


async def test_a_sentence_that_a_device_says_by_itself_is_not_a_units_answer(notes: Notes) -> None:
    said = nmea0183.sentence(b"YXXDR,C,8.60,C,T1")

    def asked(question: bytes, heard: bytes) -> Awaitable[list[Try]]:
        port = PortFacts("/dev/string", "string", "made up", "", "free")
        return ask_everywhere(
            [port], LINE, Question(question, timeout_s=0.3), lambda one: None, notes,
            lambda endpoint: MemoryTransport(lambda port, data: port.say(heard)),
        )  # fmt: skip

    (by_itself,) = await asked(b"B\r", said)
    assert not by_itself.answered and "by itself" in words(by_itself) and "settings fit" in words(by_itself)
    (half,) = await asked(b"B\r", b"$YXXDR,C,8.60,C,T1*00\r\n")
    assert not half.answered and "bytes of text" in words(half) and "no readable" not in words(half)
    for junk in (b"\x9f\xfe", b"\r", b"cc9\xff\xc3b["):
        (odd,) = await asked(b"B\r", junk)
        assert not odd.answered and "no readable text" in words(odd)
    (queried,) = await asked(nmea0183.sentence(b"YXQ,T1"), said)
    assert queried.answered, "a sentence answers a sentence"


async def test_a_line_that_somebody_says_just_then_is_not_a_units_answer(notes: Notes) -> None:
    """A talker, whose turn comes while unit B is asked; unit C answers whenever it is asked."""
    told: list[bytes] = []

    def device(port: MemoryTransport, data: bytes) -> None:
        told.append(data)
        if data == b"C\r":
            port.say(b"7.12 11.4 0.312 98.1\r\n")
        elif data == b"B\r" and told.count(b"B\r") == 1:
            port.say(b"hatching room 11.4 C\r\n")

    ports = [PortFacts("/dev/made-up", "line", "made-up", "", "free")]
    question = Question(b"{unit}\r", timeout_s=0.2)
    tries = await ask_everywhere(
        ports, LINE, question, lambda done: None, notes, lambda endpoint: MemoryTransport(device), ("B", "C")
    )
    assert [(one.unit, one.answered) for one in tries] == [("B", False), ("C", True)]
    assert "hatching room 11.4 C   this came once" in words(tries[0])
    assert "line C answered" in notes.events[-1].text
