"""`ordolex solve` and `ordolex match`: what the sender uses, from bytes alone or from a port."""

from __future__ import annotations

import asyncio
from collections.abc import Sequence
from pathlib import Path
from typing import Annotated, Any

import typer

from ordolex.cli.common import FAILED, USAGE, ForceOption, faults_said, print_document, refuse, write_drawing
from ordolex.core.line.notation import read_line
from ordolex.core.line.settings import LineSettings
from ordolex.core.match.capture import Capture, Flags, spread_of, starts_from_times
from ordolex.core.match.explain import misread, rows
from ordolex.core.match.infer import Inference, Ranked, infer
from ordolex.core.match.verdict import Kind, Verdict, inverted_advice, judge
from ordolex.core.match.wishes import read_data_bits, read_units
from ordolex.core.port.endpoint import read_endpoint
from ordolex.core.sheet import Sheet
from ordolex.core.text.charsets import text_of
from ordolex.core.text.escapes import to_bytes
from ordolex.core.text.visible import visible_text
from ordolex.io.match import asks
from ordolex.io.match.options import Options
from ordolex.io.match.trials import Match
from ordolex.io.own.sheets import all_sheets
from ordolex.io.system.faults import Fault
from ordolex.io.system.files import read_given
from ordolex.session.alone import Alone, kept_in
from ordolex.session.matches import match as match_settings


def add_to(app: typer.Typer) -> None:
    app.command()(solve)
    app.command()(match)


def solve(
    file: Annotated[Path | None, typer.Argument(help="Received bytes, raw, as a file.")] = None,
    hex_: Annotated[str | None, typer.Option("--hex", help="Received bytes as hex pairs instead.")] = None,
    heard_at: Annotated[str, typer.Option(help="The settings at which they were received.")] = "9600 8N1",
    errors: Annotated[Path | None, typer.Option(help="One line per flagged byte: its index and F, P or B.")] = None,
    times: Annotated[Path | None, typer.Option(help="One arrival time in ms per byte.")] = None,
    data_bits: Annotated[str, typer.Option(help="Numbers of data bits to weigh, 5 to 8.")] = "7 8",
    explain: Annotated[bool, typer.Option(help="Print the bits, and where they were sampled.")] = False,
    draw: Annotated[Path | None, typer.Option(help="Write the bits as .svg or .pdf.")] = None,
    force: ForceOption = False,
    json: Annotated[bool, typer.Option("--json")] = False,
) -> None:
    """Say from received bytes alone what the sender really uses."""
    with faults_said(json):
        line = read_line(heard_at).settings
        data = _bytes_given(file, hex_)
        came = _times_from(times, len(data))
        starts, spread = starts_from_times(came, line), spread_of(came, line, _step_of(came))
        capture = Capture(line, data, _flags_from(errors, len(data)), starts, came, spread)
        result = infer([capture], data_bits=read_data_bits(data_bits))
        verdict = judge([capture], result)
        if draw is not None and result.best is not None:
            _draw(draw, result.best.best, line, force)
    if json:
        print_document("solve", _as_json(result, verdict))
    else:
        _print(result, verdict, line, explain)
    if not data:
        refuse("no bytes were given; there is nothing to reason from", FAILED)


def _print(result: Inference, verdict: Verdict, line: LineSettings, explain: bool) -> None:
    typer.echo(verdict.words)
    if verdict.listen_at is not None:
        typer.echo(f"next: listen at {verdict.listen_at.text}")
    for group in result.groups[:5]:
        best = group.best
        alike = ", ".join(member.settings.format for member in group.members[1:4])
        same = f"   reads alike: {alike}" if alike else ""
        text = visible_text(text_of(best.reading[:48]))
        typer.echo(f"{group.probability:6.1%}  {best.settings.text:14} {best.polarity:9} {text}{same}")
    if result.best is not None and result.best.best.inverted and verdict.kind is Kind.CERTAIN:
        typer.echo(inverted_advice())
    if explain and result.best is not None:
        best = result.best.best
        picture = misread(best.reading[:12], best.settings, line, inverted=best.inverted)
        typer.echo("")
        names = ("sent", "line", "seen", "read")
        for name, row in zip(names, rows(picture, best.settings, _EXPLAIN_COLUMNS), strict=True):
            typer.echo(f"{name}  {row.rstrip()}")


def _as_json(result: Inference, verdict: Verdict) -> dict[str, Any]:
    return {
        "verdict": verdict.kind.value,
        "words": verdict.words,
        "listen_at": verdict.listen_at.text if verdict.listen_at is not None else None,
        "apart": list(verdict.apart),
        "ranked": [
            {
                "line": entry.settings.text,
                "polarity": entry.polarity,
                "probability": round(entry.probability, 4),
                "text": entry.reading.decode("utf-8", "replace"),
                "hex": entry.reading.hex(),
                "exact_baud": round(entry.exact_baud, 1),
                "shape": entry.shape,
            }
            for entry in result.ranked[:20]
        ],
    }


_EXPLAIN_COLUMNS = 150


def _bytes_given(file: Path | None, hex_: str | None) -> bytes:
    if (file is None) == (hex_ is None):
        raise Fault("give either a file of received bytes or --hex", "such as --hex '9f 3b 80'")
    if hex_ is not None:
        try:
            return bytes.fromhex(hex_.replace(",", " "))
        except ValueError as error:
            raise Fault(f"--hex {hex_[:40]!r} are no hex pairs", "write two digits a byte, such as 9f3b80") from error
    assert file is not None
    return read_given(file, "a file of received bytes")


def _flags_from(file: Path | None, count: int) -> tuple[Flags, ...] | None:
    if file is None:
        return None
    flags = [Flags()] * count
    for number, row in enumerate(read_given(file, "a file of line errors").decode("utf-8", "replace").splitlines(), 1):
        words = row.split()
        if not words:
            continue
        if len(words) != 2 or not words[0].isdecimal() or set(words[1].upper()) - set("FPB"):
            raise Fault(f"{file}, line {number}: {row[:40]!r} is not an index and F, P or B", "write such as: 17 F")
        at, marks = int(words[0]), words[1].upper()
        if at >= count:
            raise Fault(f"{file}, line {number}: there is no byte {at}", f"the first is 0, the last {count - 1}")
        flags[at] = Flags("F" in marks, "P" in marks, "B" in marks)
    return tuple(flags)


def _times_from(file: Path | None, count: int) -> tuple[float, ...]:
    """Times of arrival in seconds; none without a file."""
    if file is None:
        return ()
    try:
        ms = [float(row) for row in read_given(file, "a file of arrival times").decode("utf-8", "replace").split()]
    except ValueError as error:
        raise Fault(f"{file}: {error}", "write one time in ms per byte") from error
    if len(ms) != count:
        raise Fault(f"{file} has {len(ms)} times for {count} bytes", "write one time in ms per byte")
    return tuple(time / 1000 for time in ms)


def _step_of(times_s: Sequence[float]) -> float:
    """How fine the times are: whole milliseconds are good to about a third of one, others to a tenth of that."""
    return 0.0003 if all(abs(time * 1000 - round(time * 1000)) < 1e-6 for time in times_s) else 0.00003


def _draw(file: Path, best: Ranked, heard_at: LineSettings, force: bool) -> None:
    from ordolex.draw.bits import draw_bits

    picture = misread(best.reading[:8], best.settings, heard_at, inverted=best.inverted)
    write_drawing(draw_bits(picture, best.settings, heard_at), file, force=force)


def match(
    endpoint: Annotated[str, typer.Argument(help="A serial port or rfc2217://host:port.")],
    ask: Annotated[list[str] | None, typer.Option(help="A harmless question; may be given again.")] = None,
    sheet: Annotated[str | None, typer.Option(help="A device sheet, for its questions and settings.")] = None,
    units: Annotated[
        str | None,
        typer.Option(
            help="Unit IDs A-B, for questions with {unit}; without a sheet they are asked for a Modbus register."
        ),
    ] = None,
    data_bits: Annotated[str, typer.Option(help="Numbers of data bits to weigh, 5 to 8.")] = "7 8",
    listen: Annotated[float, typer.Option(help="Seconds to listen before anything is asked.")] = 4.0,
    wait: Annotated[float, typer.Option(help="Seconds to wait for each answer.")] = 0.25,
    give_up: Annotated[float, typer.Option(help="Seconds after which to give up.")] = 120.0,
    book: Annotated[Path | None, typer.Option(help="Keep every trial in this book.")] = None,
    json: Annotated[bool, typer.Option("--json")] = False,
) -> None:
    """Find the line settings of a device: listen first, then ask harmless questions."""
    if min(listen, wait, give_up) <= 0:
        refuse("--listen, --wait and --give-up must be more than 0 s", USAGE, json=json)
    with faults_said(json):
        if not read_endpoint(endpoint).has_line:
            raise Fault("raw TCP has no line settings to find", "give a serial port or rfc2217://host:port")
        known = all_sheets()[0].get(sheet) if sheet is not None else None
        if sheet is not None and known is None:
            raise Fault(f"there is no sheet {sheet!r}", "`ordolex sheet list` names them")
        own = read_units(units) if units is not None else []
        questions = asks.chosen(known, own, [to_bytes(text) for text in ask] if ask else None)
        options = Options(
            questions, data_bits=read_data_bits(data_bits), listen_s=listen, wait_s=wait, give_up_s=give_up
        )
        with kept_in(book, endpoint, read_line("9600 8N1").settings) as alone:
            found = asyncio.run(_match(alone, options, known))
    if json:
        print_document("match", _match_json(found))
    else:
        for trial in found.trials:
            sent = f"sent {trial.sent!r}, " if trial.sent else ""
            typer.echo(f"{trial.seconds:6.2f} s  {trial.line.text:14} {sent}{visible_text(trial.words)}", err=True)
    if found.found is None:
        refuse(f"not found: {found.verdict.words if found.verdict is not None else found.now}", FAILED)
    if not json:
        polarity = "inverted" if found.inverted else "normal"
        typer.echo(f"{found.found.text} {polarity}   {found.evidence}, {found.seconds:.1f} s")
        if found.alike:
            typer.echo(f"{' and '.join(found.alike)} would read the same: it matters when you send")
        if found.inverted:
            typer.echo(inverted_advice())


async def _match(alone: Alone, options: Options, sheet: Sheet | None) -> Match:
    async with alone.opened() as runner:
        return await match_settings(runner, options, sheet)


def _match_json(found: Match) -> dict[str, Any]:
    return {
        "found": found.found is not None,
        "line": found.found.text if found.found is not None else None,
        "polarity": "inverted" if found.inverted else "normal",
        "evidence": found.evidence or (found.verdict.words if found.verdict is not None else ""),
        "answered": found.answered,
        "reads_alike": list(found.alike),
        "seconds": round(found.seconds, 2),
        "trials": [trial.as_dict() for trial in found.trials],
    }
