"""Each fault of the bench, heard over RFC 2217, is put first among the causes."""

import pytest

from ordolex.core.advice.causes import causes
from ordolex.core.line.notation import read_line
from ordolex.core.link.question import Question
from ordolex.io.link.runner import LinkRunner
from tests.conftest import OXYGEN, Notes, ServeBench, until

DEVICES: dict[str, dict[str, object]] = {
    "talker": {"name": "talker", "kind": "temperature", "line": "4800 8N1", "interval_s": 0.25},
    "logger": {"name": "logger", "kind": "logger", "line": "9600 8N1", "interval_s": 0.3},
    "oxygen": OXYGEN,
}

FAULTS = [
    ("talker", "inverted talker on", "4800 8N1", "inverted"),
    ("talker", "", "9600 8N1", "rate"),
    ("talker", "", "2400 8N1", "rate"),
    ("logger", "format logger 7E1", "9600 8N1", "parity"),
    ("logger", "format logger 8O1", "9600 8E1", "parity"),
    ("logger", "noise logger 0.004", "9600 8N1", "clock"),
    ("logger", "clock logger 1.09", "9600 8N1", "rate"),
    ("talker", "garble talker overrun", "4800 8N1", "overrun"),
    ("talker", "garble talker missing", "4800 8N1", "missing"),
    ("talker", "garble talker escapes", "4800 8N1", "escapes"),
    ("logger", "garble logger shifted", "9600 8N1", "charset"),
    ("logger", "garble logger doubled", "9600 8N1", "doubled"),
    ("talker", "garble talker staircase", "4800 8N1", "line end"),
    ("talker", "garble talker two", "4800 8N1", "two sources"),
    ("logger", "garble logger other-rate-first", "9600 8N1", "joined late"),
    ("talker", "garble talker floating", "4800 8N1", "floating"),
    ("logger", "garble logger long", "9600 8N1", "long lines"),
    ("talker", "garble talker half", "4800 8N1", "half"),
    ("oxygen", "garble oxygen clash", "19200 8N1", "two answers"),
]
_FIRST_ONLY = ("joined late",)


@pytest.mark.parametrize(("device", "order", "line", "name"), FAULTS, ids=[f"{o or d}-{n}" for d, o, _, n in FAULTS])
async def test_a_fault_of_the_bench_is_the_first_cause(
    serve_bench: ServeBench, notes: Notes, device: str, order: str, line: str, name: str
) -> None:
    bench = await serve_bench(DEVICES[device])
    if order:
        assert (await bench.obey(order)).startswith("ok")
    endpoint = bench.notice().devices[0].endpoint
    runner = LinkRunner(1, endpoint, read_line(line).settings, notes)
    await runner.open()
    try:
        if device == "oxygen":
            await runner.ask(Question(b"MEAS:OXYG?\n"))

        def first() -> str:
            signs = runner.view().evidence.signs
            found = causes(signs) if len(signs.data) > 8 else []
            return found[0].name if found else ""

        seen: list[str] = []
        try:
            with runner.tap.heard_by(
                lambda data, errors, at_s: seen.append(first())
            ):  # some show in the first bytes only
                for _ in range(5 if name in _FIRST_ONLY else 1):
                    most = runner.view().evidence.heard + 400 if name in _FIRST_ONLY else 1 << 30
                    await until(
                        lambda most=most: name in seen or runner.view().evidence.heard > most or first() == name, 30
                    )
                    if name in seen or name not in _FIRST_ONLY:
                        break
                    await runner.release()  # it was said while the port was being opened, and comes at each opening
                    await runner.open()
                assert name in seen or first() == name, seen
        except TimeoutError:
            signs = runner.view().evidence.signs
            raise AssertionError([(cause.name, cause.likely) for cause in causes(signs)], signs) from None
    finally:
        await runner.release()
