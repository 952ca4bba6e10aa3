"""The finder against the bench over RFC 2217, and without any device."""

import asyncio
import contextlib
from pathlib import Path

import pytest

from ordolex.core.line.settings import LineSettings, Parity
from ordolex.core.link.judge import LineErrors
from ordolex.core.link.question import Question
from ordolex.core.match.infer import Group, Inference, Ranked
from ordolex.core.match.verdict import Kind, Verdict
from ordolex.core.record.items import Event, LinkRecord
from ordolex.core.sheet import read_sheet
from ordolex.io.book.book import Book
from ordolex.io.book.reader import BookReader
from ordolex.io.link.runner import LinkRunner
from ordolex.io.match.asking import Asking
from ordolex.io.match.asks import chosen, generic, of_family, of_sheet
from ordolex.io.match.matcher import Matcher
from ordolex.io.match.options import Options
from ordolex.io.match.search import Search
from ordolex.io.match.trials import Match
from ordolex.io.transport.twins import MemoryTransport
from tests.conftest import Notes, ServeBench, until

TALKER: dict[str, object] = {"name": "a", "kind": "logger", "interval_s": 0.2}


async def opened(serve_bench: ServeBench, notes: Notes, **device: object) -> LinkRunner:
    bench = await serve_bench(device)
    runner = LinkRunner(1, bench.notice().devices[0].endpoint, LineSettings(9600), notes)
    await runner.open()
    return runner


@pytest.mark.parametrize("line", ["4800 8N1", "9600 7E1", "1200 8E1", "110 7E1"])
async def test_a_talking_device_is_matched_by_listening(serve_bench: ServeBench, notes: Notes, line: str) -> None:
    runner = await opened(serve_bench, notes, **TALKER, line=line)
    match = await Matcher(runner).run()
    assert match.found is not None and match.found.text == line and not match.inverted
    assert runner.line == match.found and match.retunings <= 6
    kinds = notes.kinds()
    assert kinds.count("trial") == len(match.trials) and kinds[-1] == "match" and "answer" not in kinds
    await runner.release()


async def test_an_inverted_line_is_said_and_the_port_goes_back(serve_bench: ServeBench, notes: Notes) -> None:
    runner = await opened(serve_bench, notes, **TALKER, line="2400 8N2", polarity="inverted")
    match = await Matcher(runner).run()
    assert match.inverted and match.found is not None and match.found.baud == 2400
    assert runner.line == LineSettings(9600)
    await runner.release()


async def test_a_silent_device_is_found_by_harmless_questions_and_proven(serve_bench: ServeBench, notes: Notes) -> None:
    runner = await opened(serve_bench, notes, name="a", kind="oxygen", line="4800 8E1")
    match = await Matcher(runner, Options([Question(b"*IDN?\n")], listen_s=0.3, wait_s=0.15)).run()
    assert match.found is not None and match.found.text == "4800 8E1" and match.answered
    assert runner.rung.word == "Proven"
    assert {trial.sent.translate(bytes(range(128)) * 2) for trial in match.trials} <= {b"", b"*IDN?\n"}
    await runner.release()


@pytest.mark.parametrize(("kind", "line"), [("bus", "19200 8E1"), ("bus-ascii", "9600 7E1"), ("meter", "4800 7E1")])
async def test_a_protocol_is_asked_in_its_own_way_and_a_right_check_is_proof(
    serve_bench: ServeBench, notes: Notes, kind: str, line: str
) -> None:
    """Answers that are no readable text, of a device whose sheet says which protocol it speaks but no settings."""
    speaks = {"bus": "modbus-rtu", "bus-ascii": "modbus-ascii", "meter": "meter"}[kind]
    sheet = read_sheet(f"""name = "d"\ndevice = "d"\nspeaks = "{speaks}"\n[line]\nsettings = "any"\nsource = "x"
[bus]\nunit = 3\n""", "d")  # fmt: skip
    units: dict[str, object] = {"units": [3]} if "bus" in kind else {}
    runner = await opened(serve_bench, notes, name="a", kind=kind, line=line, **units)
    known = [LineSettings(9600), LineSettings(int(line.split()[0]))]
    wait_s = 0.25 if units else 1.7  # a meter takes its time
    match = await Matcher(runner, Options(of_sheet(sheet), known=known, listen_s=0.1, wait_s=wait_s)).run()
    assert match.found is not None and match.found.text == line, match.evidence
    assert match.answered or kind == "meter", "a meter that is in the middle of its readout goes on with that"
    await runner.release()


@pytest.mark.parametrize(("rest", "errors"), [(b"2*Hz)\r\n!\r\n\x03\x1b", 0), (b"\xb2*Hz)\r\n!\r\n\x03T", 1)])
async def test_a_meter_met_in_the_middle_of_its_readout_is_let_end_and_asked_anew(
    notes: Notes, rest: bytes, errors: int
) -> None:
    """The end of a readout, its first character cut by the change of settings, says nothing against them."""
    talk = [rest]

    def device(transport: MemoryTransport, data: bytes) -> None:
        if not talk:
            transport.say(b"/ABC5made up\r\n")
        elif transport.line == LineSettings(2400, 7, Parity.EVEN):
            transport.say(talk.pop(), LineErrors(parity=errors))

    port = MemoryTransport(device)
    runner = LinkRunner(1, "/dev/made-up", LineSettings(9600), notes, lambda endpoint: port)
    await runner.open()
    search = Search(runner, Options(of_family("meter"), wait_s=0.1), lambda match: None)
    with runner.tap.heard_by(search.ear.heard):
        await Asking(search, []).ask_at([LineSettings(2400, 7, Parity.EVEN)])
    assert search.match.answered and search.match.found == LineSettings(2400, 7, Parity.EVEN), notes.events
    await runner.release()


async def test_settings_that_everything_speaks_for_are_asked_at_again_where_the_first_answer_failed(
    notes: Notes, monkeypatch: pytest.MonkeyPatch
) -> None:
    right, silent = LineSettings(2400, 7, Parity.EVEN), [b""]
    ranked = (Ranked(right, 2400.0, inverted=False, probability=0.99, reading=b"made up"),)

    async def look(search: Search) -> None:
        search.match.inference = Inference(ranked, (Group(ranked),))
        search.match.verdict = Verdict(Kind.CERTAIN, "2400 7E1: over 99 %")

    def device(transport: MemoryTransport, data: bytes) -> None:
        if transport.line == right:
            transport.say(silent.pop() if silent else b"made up 12.5 mg/l\r\n")
        elif transport.line is not None and transport.line.baud == 2400:
            transport.say(bytes([0xED, 0xE1, 0x64, 0x65]))

    monkeypatch.setattr(Search, "look", look)
    port = MemoryTransport(device)
    runner = LinkRunner(1, "/dev/made-up", LineSettings(9600), notes, lambda endpoint: port)
    await runner.open()
    match = await Matcher(runner, Options([Question(b"ID\r")], listen_s=0.02, wait_s=0.02, give_up_s=20)).run()
    assert match.found == right and match.trials[-1].words == "answered", [trial.words for trial in match.trials]
    await runner.release()


async def test_our_own_echo_proves_nothing(serve_bench: ServeBench, notes: Notes) -> None:
    runner = await opened(serve_bench, notes, name="a", kind="echo", line="any")
    match = await Matcher(runner, Options(generic(), listen_s=0.1, wait_s=0.05, give_up_s=6)).run()
    assert match.found is None and not match.answered
    assert any(trial.words == "only our own bytes came back" for trial in match.trials)
    await runner.release()


async def test_two_bytes_are_a_reason_to_go_on_and_no_proof(notes: Notes) -> None:
    """Somebody answers everything with two characters, whatever the settings."""
    port = MemoryTransport(lambda transport, data: transport.say(b"? "))
    runner = LinkRunner(1, "/dev/made-up", LineSettings(9600), notes, lambda endpoint: port)
    await runner.open()
    match = await Matcher(runner, Options([Question(b"ID\r")], listen_s=0.05, wait_s=0.02, give_up_s=3)).run()
    assert match.found is None, match.evidence
    await runner.release()


@pytest.mark.parametrize("turns", [0, 1, 2, 3, 5, 8])
async def test_who_is_stopped_while_the_port_is_set_leaves_no_answer_for_the_next_setting(
    serve_bench: ServeBench, notes: Notes, turns: int
) -> None:
    """RFC 2217 numbers no answers: the one to a change that was given up must not be taken for the next one's."""
    runner = await opened(serve_bench, notes, name="a", kind="oxygen", line="4800 8E1")
    for baud in (57600, 1200, 230400):
        going = asyncio.ensure_future(runner.retune(LineSettings(baud)))
        for _ in range(turns):
            await asyncio.sleep(0)
        going.cancel()
        with contextlib.suppress(asyncio.CancelledError):
            await going
        await runner.settled()
        assert runner.line in (LineSettings(baud), LineSettings(9600)), "what is said is what the port is at"
        await runner.retune(LineSettings(9600))
        assert runner.line == LineSettings(9600)
    await runner.release()


async def test_nothing_there_gives_up_in_the_time_said_and_goes_back(serve_bench: ServeBench, notes: Notes) -> None:
    bench = await serve_bench({"name": "a", "kind": "oxygen", "line": "4800 8E1"})
    await bench.obey("silent a on")
    runner = LinkRunner(1, bench.notice().devices[0].endpoint, LineSettings(9600), notes)
    await runner.open()
    matcher = Matcher(runner, Options([Question(b"\r")], listen_s=0.2, wait_s=0.1, give_up_s=3.0))
    assert matcher.match.at_most_s == 3.0
    match = await matcher.run()
    assert match.found is None and match.verdict is not None and match.verdict.kind is Kind.NOTHING
    assert runner.line == LineSettings(9600)
    silent = {(t.line.text, t.sent) for t in match.trials if t.sent}
    assert silent
    again = Matcher(runner, Options([Question(b"\r")], tried=silent, listen_s=0.1, wait_s=0.1, give_up_s=0.8))
    assert not silent & {(t.line.text, t.sent) for t in (await again.run()).trials}
    await runner.release()


async def test_stopping_is_quick_and_leaves_the_port_as_it_was(serve_bench: ServeBench, notes: Notes) -> None:
    runner = await opened(serve_bench, notes, name="a", kind="oxygen", line="4800 8E1")
    task = asyncio.ensure_future(Matcher(runner, Options([Question(b"\r")], listen_s=0.1)).run())
    await until(lambda: len(notes.bytes("tx")) > 3)
    task.cancel()
    with contextlib.suppress(asyncio.CancelledError):
        async with asyncio.timeout(1.0):
            await task
    assert runner.line == LineSettings(9600) and runner.is_open
    await runner.release()


def test_formats_that_read_the_same_are_named_where_they_were_weighed() -> None:
    ranked = tuple(
        Ranked(LineSettings(9600, 8, Parity.NONE, stops), 9600.0, inverted=False, probability=p, reading=b"OK")
        for stops, p in ((1.0, 0.7), (2.0, 0.29))
    )
    match = Match(inference=Inference(ranked, (Group(ranked),)), found=ranked[0].settings)
    assert match.alike == ("8N2",)
    match.found = LineSettings(4800)
    assert match.alike == () == Match(found=LineSettings(9600)).alike


def test_what_is_asked_and_what_is_known_are_chosen_in_one_place() -> None:
    sheet = read_sheet("""name = "d"\ndevice = "d"\nspeaks = "modbus-rtu"\ntalks = "ox .*"\n[line]
settings = "4800 7E1"\nsource = "x"\n[bus]\nunit = 3\n""", "d")  # fmt: skip
    assert [q.text for q in chosen(None)] == [q.text for q in generic()]
    assert chosen(None, typed=[]) == [], "who says that nothing may be asked is obeyed"
    (own,) = chosen(sheet)
    assert own.codec is not None and own.data[0] == 3
    assert [q.data for q in chosen(None, (2, 5), [b"{unit}?\r"])] == [b"2?\r", b"5?\r"]
    judged = chosen(None, typed=[b"AT\r", b"x\r"])
    assert judged[0].codec is not None and judged[1].codec is None, "what is known is judged as what it is"
    options = Options(chosen(sheet)).knowing(sheet, [LineSettings(19200)])
    assert options.first == LineSettings(4800, 7, Parity.EVEN) and options.known == [options.first, LineSettings(19200)]
    assert options.talks == "ox .*" and options.shapes[0].pattern.match(b"ox 9")
    assert Options().knowing(None, [LineSettings(300)]).known == [LineSettings(300)]


async def test_who_knows_the_protocol_has_only_that_asked(serve_bench: ServeBench, notes: Notes) -> None:
    runner = await opened(serve_bench, notes, name="a", kind="bus", line="19200 8N1", units=[3])
    questions = of_family("modbus-rtu")
    match = await Matcher(runner, Options(questions, data_bits=(8,), listen_s=0.1, wait_s=0.05)).run()
    assert match.found is not None and (match.found.baud, match.found.data_bits) == (19200, 8) and match.answered
    assert {trial.sent for trial in match.trials if trial.sent} <= {question.data for question in questions}
    await runner.release()


async def test_a_match_that_is_stopped_says_so_and_can_go_on_where_it_was(
    serve_bench: ServeBench, tmp_path: Path
) -> None:
    book = Book(tmp_path / "b.ordolex")
    link = book.add_link(LinkRecord(0, "a", "rfc2217://127.0.0.1:1", "9600 8N1", "typed"))
    bench = await serve_bench({"name": "a", "kind": "oxygen", "line": "19200 8N1"})
    await bench.obey("silent a on")
    runner = LinkRunner(link.id, bench.notice().devices[0].endpoint, LineSettings(9600), book.recorder)
    await runner.open()
    heard: list[Match] = []
    running = asyncio.create_task(Matcher(runner, Options(generic(), listen_s=0.1, wait_s=0.01), heard.append).run())
    while not heard or sum(bool(trial.sent) for trial in heard[-1].trials) < 3:
        await asyncio.sleep(0.01)
    running.cancel()
    with contextlib.suppress(asyncio.CancelledError):
        await running
    await runner.release()
    silent = {(trial.line.text, trial.sent) for trial in heard[-1].trials if trial.sent}
    book.close()
    again = Book(tmp_path / "b.ordolex")  # in another visit too
    try:
        assert again.reader.known.stopped_match(link.id) >= silent
        again.recorder.note(Event(link.id, 1, 1, "match", "not matched after 9 trials: nothing was heard"))
    finally:
        again.close()
    assert BookReader(tmp_path / "b.ordolex").known.stopped_match(link.id) == set(), "one that ended is no stopped one"


async def test_a_device_with_frames_of_its_own_is_asked_in_them(notes: Notes) -> None:
    sheet = read_sheet("""name = "d"\ndevice = "d"\nspeaks = "framed"\n[line]\nsettings = "any"\nsource = "x"
[bus]\nunit = 7\n[frame]\nstart = "a5"\ncheck = "sum8"\ncheck_from = 1\n[[parameter]]\nname = "level"
payload = { ask = "10 02", type = "uint16" }\n""", "d")  # fmt: skip
    asked: list[bytes] = []

    def device(transport: MemoryTransport, data: bytes) -> None:
        if transport.line == LineSettings(4800, 8, Parity.ODD) and data[:4] == b"\xa5\x07\x02\x10":
            asked.append(data)
            body = b"\x07\x02\x33\xf1"
            transport.say(b"\xa5" + body + bytes([sum(body) & 0xFF]))

    port = MemoryTransport(device)
    runner = LinkRunner(1, "rfc2217://127.0.0.1:1", LineSettings(9600), notes, lambda endpoint: port)
    await runner.open()
    known = [LineSettings(9600), LineSettings(4800, 8, Parity.ODD)]
    match = await Matcher(runner, Options(of_sheet(sheet), known=known, listen_s=0.1, wait_s=0.2)).run()
    assert asked and match.found == known[1] and match.answered, match.evidence
    await runner.release()
