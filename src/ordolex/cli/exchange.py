"""`ask` and `record`: one question, or everything that passes, without the interface."""

from __future__ import annotations

import asyncio
import signal
import time
from pathlib import Path
from typing import Annotated, Any

import typer

from ordolex.cli.common import FAILED, USAGE, faults_said, line_for, more_than_zero, print_document, refuse
from ordolex.cli.keeping import Keeper, refuse_unless_kept
from ordolex.core.advice.causes import causes
from ordolex.core.link.exchange import Answer, Ended
from ordolex.core.link.question import Question, Verdict
from ordolex.core.link.state import Evidence
from ordolex.core.port.endpoint import read_endpoint
from ordolex.core.text.charsets import text_of
from ordolex.core.text.counts import counted
from ordolex.core.text.escapes import to_bytes
from ordolex.core.text.visible import visible
from ordolex.io.book.turning import Keeping, Turned, read_limit
from ordolex.io.link.journal import RecorderLike
from ordolex.session.alone import Alone, kept_in


def add_to(app: typer.Typer) -> None:
    app.command()(ask)
    app.command()(record)


def ask(
    endpoint: Annotated[str, typer.Argument(help="A serial port, rfc2217://host:port or tcp://host:port.")],
    text: Annotated[str, typer.Argument(help=r"What to send; \r \n \t \xHH and <CR> <STX> stand for control bytes.")],
    line: Annotated[str | None, typer.Option(help="Line settings in any notation.")] = None,
    until: Annotated[str | None, typer.Option(help="Text that ends a right answer.")] = None,
    timeout: Annotated[float, typer.Option(help="Seconds to wait for the first byte.")] = 2.0,
    book: Annotated[Path | None, typer.Option(help="Keep the exchange in this book.")] = None,
    json: Annotated[bool, typer.Option("--json")] = False,
) -> None:
    """Ask one question and judge the answer."""
    more_than_zero(timeout, "--timeout", json=json)
    if timeout <= 0:
        refuse("--timeout must be more than 0 s", USAGE, json=json)
    with faults_said(json):
        read = line_for(endpoint, line)
        for words in (text, until or ""):
            to_bytes(words)  # what cannot be read is said before a book is made
        with kept_in(book, endpoint, read.settings) as alone:
            question = Question(
                to_bytes(text, alone.reads_in), to_bytes(until, alone.reads_in) if until else None, timeout
            )
            answer, evidence = asyncio.run(_ask(alone, question))
    if json:
        print_document("ask", _as_json(answer, evidence))
    problem = _problem(answer, evidence, has_line=read_endpoint(endpoint).has_line)
    if problem:
        refuse(problem, FAILED)
    if not json:
        typer.echo(visible(answer.data.rstrip(b"\r\n"), alone.reads_in))
        typer.echo(f"{evidence.rung.word}: {_proof_words(answer)}", err=True)


async def _ask(alone: Alone, question: Question) -> tuple[Answer, Evidence]:
    async with alone.opened() as runner:
        answer = await runner.ask(question)
        return answer, runner.view().evidence


def _as_json(answer: Answer, evidence: Evidence) -> dict[str, Any]:
    return {
        "sent_hex": answer.question.data.hex(),
        "reply": text_of(answer.data, answer.question.charset),
        "reply_hex": answer.data.hex(),
        "ms": None if answer.last_s is None else round(answer.last_s * 1000, 1),
        "first_ms": None if answer.first_s is None else round(answer.first_s * 1000, 1),
        "line_errors": answer.errors.total,
        "line": evidence.line.text if evidence.has_line else "",
        "verdict": answer.verdict.value,
        "rung": evidence.rung.word,
        "ended": answer.ended.value,
    }


def _proof_words(answer: Answer) -> str:
    ms = f"answered in {answer.last_s * 1000:.0f} ms" if answer.last_s is not None else "no answer"
    expected = answer.question.expected
    match answer.verdict:
        case Verdict.RIGHT:
            return f"{ms}, as expected" + (f": {expected}" if expected else "")
        case Verdict.ECHO:
            return f"{ms}, but with our own bytes: a loopback or an echo"
        case _:
            return f"{ms}; what a right answer looks like is not known"


def _problem(answer: Answer, evidence: Evidence, *, has_line: bool) -> str:
    """Why the exchange failed, in one line with what was seen; empty where it did not."""
    at = evidence.line.text if has_line else "raw TCP"
    cause = (
        "the line settings are probably wrong, try another rate" if has_line else "try rfc2217:// in place of tcp://"
    )
    if not answer.data and not answer.errors.total:
        if answer.ended is Ended.LOST:
            return f"the port went away before an answer came at {at}; plug it in again"
        hint = "" if answer.question.data[-1:] in (b"\r", b"\n") else r"; no line end was sent, add \r or \n"
        return f"no answer in {answer.question.timeout_s:g} s at {at}: 0 bytes heard{hint or '; check rate and cable'}"
    seen = f"{counted(len(answer.data), 'byte')} heard at {at}"
    if answer.errors.total:
        return f"no right answer: {seen}, {answer.errors.words()}; {cause}"
    if evidence.bad_lately:
        found = causes(evidence.signs)
        if found and (has_line or found[0].name == "charset"):
            cause = f"perhaps {found[0].words}"
        return f"no right answer: {seen}, {evidence.bad_lately} of them not readable as text; {cause}"
    if answer.ended is Ended.LOST:
        return f"the peer hung up in the middle of its answer: {seen}: {visible(answer.data[:60])}"
    if answer.question.until is not None and answer.verdict is Verdict.ECHO:
        return f"only our own bytes came back at {at}, without an answer: a loopback or an echo"
    if answer.ended is Ended.ENDLESS:
        return f"no answer that ends with {answer.question.until!r}: {seen}, and {answer.ended.value}"
    if answer.verdict is Verdict.WRONG:
        wanted = answer.question.expected or f"an answer that ends with {answer.question.until!r}"
        return f"wrong answer: {seen}: {visible(answer.data[:60].strip())}; expected {wanted}"
    return ""


def record(
    endpoint: Annotated[str, typer.Argument(help="A serial port, rfc2217://host:port or tcp://host:port.")],
    book: Annotated[Path, typer.Option(help="The book to record into; made if it is not there.")],
    line: Annotated[str | None, typer.Option(help="Line settings in any notation.")] = None,
    seconds: Annotated[float | None, typer.Option(help="How long; without it, until stopped.")] = None,
    rotate: Annotated[
        str | None, typer.Option(help="Older bytes go into a volume beside the book at this size or age: 500MB, 24h.")
    ] = None,
    json: Annotated[bool, typer.Option("--json")] = False,
) -> None:
    """Record everything that arrives, until stopped by Ctrl+C or a signal."""
    more_than_zero(seconds, "--seconds", json=json)
    with faults_said(json):
        read = line_for(endpoint, line)
        limit = read_limit(rotate) if rotate is not None else None
        with kept_in(book, endpoint, read.settings) as alone:
            open_book = alone.book
            assert open_book is not None
            began = time.monotonic()
            if limit is not None:
                open_book.keep("record", Keeping(limit, newest_s=0.0), _VolumesSaid())
            evidence = asyncio.run(_record(alone, alone.recorder, seconds, Keeper(open_book.recorder)))
        status = open_book.recorder.status
    result: dict[str, Any] = {
        "book": str(book),
        "bytes": evidence.heard_in_all,
        "seconds": round(time.monotonic() - began, 2),
        "line_errors": evidence.errors_in_all.total,
        "rung": evidence.rung.word,
        "kept": status.keeping and not status.lost,
    }
    if limit is not None:
        result["books"] = [str(path) for path in [*open_book.volumes, book]]
    if json:
        print_document("record", result)
    refuse_unless_kept(status, book)
    if not json:
        errors = evidence.errors_in_all.words() or "no line errors"
        heard = f"{counted(evidence.heard_in_all, 'byte')} in {result['seconds']} s"
        typer.echo(f"{heard} at {evidence.line.text}, {errors}: {book}")


class _VolumesSaid:
    """Names each volume, once."""

    def __init__(self) -> None:
        self._said = ""

    def __call__(self, turned: Turned) -> None:
        if turned.volume and turned.volume != self._said:
            self._said = turned.volume
            typer.echo(f"older bytes go into {turned.volume}", err=True)


async def _record(alone: Alone, recorder: RecorderLike, seconds: float | None, keeper: Keeper) -> Evidence:
    stop = asyncio.Event()
    stop_on_signals(stop.set)
    async with alone.opened(recorder) as runner:
        watching = asyncio.ensure_future(keeper.watch())
        try:
            async with asyncio.timeout(seconds):
                await stop.wait()
        except TimeoutError:
            pass
        finally:
            watching.cancel()
        evidence = runner.view().evidence
    if not evidence.heard_in_all:
        typer.echo(f"ordolex: nothing was heard at {alone.line.text}", err=True)
    return evidence


def stop_on_signals(stop: Any) -> None:
    """Calls `stop` at SIGINT, SIGTERM and SIGHUP, from the running event loop."""
    loop = asyncio.get_running_loop()
    for name in ("SIGINT", "SIGTERM", "SIGHUP"):
        number = getattr(signal, name, None)
        if number is None:
            continue
        try:
            loop.add_signal_handler(number, stop)
        except NotImplementedError:  # Windows
            signal.signal(number, lambda *_: loop.call_soon_threadsafe(stop))
