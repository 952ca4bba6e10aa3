"""`wire` and `wave`: will the cable work, and what should the oscilloscope show?"""

from __future__ import annotations

from pathlib import Path
from typing import Annotated, Any, NamedTuple

import typer

from ordolex.cli.common import (
    FAILED,
    USAGE,
    ForceOption,
    faults_said,
    print_document,
    refuse,
    write_drawing,
)
from ordolex.core.line.notation import read_line
from ordolex.core.line.settings import Flow
from ordolex.core.text.escapes import to_bytes
from ordolex.core.wiring.bus import BusError, check_bus, read_bus
from ordolex.core.wiring.check import best_laid
from ordolex.core.wiring.connectors import ENDS, End
from ordolex.core.wiring.finding import Finding
from ordolex.core.wiring.idle import ReadingError, idle
from ordolex.core.wiring.parts import CATALOGUE, PartError
from ordolex.core.wiring.solve import Bag, Mend, Solution, mend, solve
from ordolex.core.wiring.words import BAD, GOOD, chain_line, end_words, signal_lines
from ordolex.io.own.bag import load_bag
from ordolex.io.system.files import read_given_text

_FLOWS = {"none": Flow.NONE, "rts/cts": Flow.RTS_CTS, "dtr/dsr": Flow.DTR_DSR}


def add_to(app: typer.Typer) -> None:
    app.command()(wire)
    app.command()(wave)
    app.command()(bus)


def wire(
    near: Annotated[str | None, typer.Option("--from", help="The end at the PC; see --list.")] = None,
    far: Annotated[str | None, typer.Option("--to", help="The end at the device; see --list.")] = None,
    chain: Annotated[list[str] | None, typer.Option(help="A part in hand, from the PC on; may be given again.")] = None,
    bag: Annotated[
        Path | None, typer.Option(help="A bag file, or a bag's name; else one's own, or the usual one.")
    ] = None,
    flow: Annotated[str, typer.Option(help="The flow control that must work: none, rts/cts or dtr/dsr.")] = "none",
    draw: Annotated[Path | None, typer.Option(help="Draw the chain into this .svg or .pdf.")] = None,
    idle_volts: Annotated[
        str | None, typer.Option("--idle", help="Readings on a pin in volts: '-8.4' or '0 3.3'.")
    ] = None,
    face: Annotated[
        Path | None, typer.Option(help="Draw both sides of the --to end's connector into this file.")
    ] = None,
    list_all: Annotated[bool, typer.Option("--list", help="List the ends and the parts of the bag.")] = False,
    force: ForceOption = False,
    json: Annotated[bool, typer.Option("--json")] = False,
) -> None:
    """Find the shortest chain of cables and adapters between two ends, or check the one in hand."""
    with faults_said(json):
        try:
            have = load_bag(bag)
        except PartError as error:
            refuse(str(error), USAGE, json=json)
        if idle_volts is not None:
            _say_idle(idle_volts, json)
        elif list_all:
            _list(have, json)
        elif face is not None and near is None and draw is None:
            _draw_face(_end(far, "--to", json), face, force)
        else:
            if face is not None:
                _draw_face(_end(far, "--to", json), face, force)
            ends = _end(near, "--from", json), _end(far, "--to", json)
            _wire(*ends, chain or [], have, _flow(flow, json), Drawing(draw, force), json)


def _end(name: str | None, option: str, json: bool) -> End:
    if name is None or name not in ENDS:
        refuse(f"{option} {name!r}: choose one of {', '.join(ENDS)}", USAGE, json=json)
    return ENDS[name]


def _flow(text: str, json: bool) -> Flow:
    if text.lower() not in _FLOWS:
        refuse(f"--flow {text!r}: choose {', '.join(_FLOWS)}", USAGE, json=json)
    return _FLOWS[text.lower()]


class Drawing(NamedTuple):
    """Where to draw, if anywhere, and whether over a file that is there."""

    path: Path | None
    force: bool


def _wire(near: End, far: End, names: list[str], have: Bag, flow: Flow, draw: Drawing, json: bool) -> None:
    known = dict(CATALOGUE) | {name: part for name, (part, _) in have.items()}
    missing = [name for name in names if name not in known]
    if missing:
        refuse(
            f"--chain {missing[0]!r} is neither in the bag nor in the catalogue; --list shows what is", USAGE, json=json
        )
    change: Mend | None = None
    solution = Solution(None)
    if names:
        parts = [known[name] for name in names]
        finding: Finding | None = best_laid(near, far, parts, flow)
        if finding is not None and not finding.works:
            change = mend(near, far, parts, have, flow)
    else:
        solution = solve(near, far, have, flow)
        finding = solution.finding
    if draw.path is not None and finding is not None:
        _draw(near, far, finding, draw.path, draw.force)
    if json:
        print_document("wire", _as_json(finding, solution, change))
    else:
        _say(near, far, finding, solution, change)
    if finding is None or not finding.works:
        raise typer.Exit(FAILED)


def _draw(near: End, far: End, finding: Finding, path: Path, force: bool) -> None:
    from ordolex.draw.chain import draw_chain  # matplotlib takes a second to import

    write_drawing(draw_chain(near, far, finding), path, force=force)


def _draw_face(end: End, path: Path, force: bool) -> None:
    from ordolex.draw.faces import draw_faces

    write_drawing(draw_faces(end), path, force=force)
    typer.echo(f"both sides of {end.face.text}: {path}")


def _as_json(finding: Finding | None, solution: Solution, change: Mend | None) -> dict[str, Any]:
    return {
        "works": finding is not None and finding.works,
        "parts": [part.name for part in finding.chain] if finding else [],
        "signals": [
            {"name": s.name, "from_pin": s.from_pin, "to_pin": s.to_pin, "ok": s.ok, "path": list(s.path)}
            for s in (finding.signals if finding else ())
        ],
        "problems": [f"{p.weight.name.lower()}: {p.text}" for p in finding.problems]
        if finding
        else _none_words(solution),
        "buy": solution.buy[0].name if solution.buy else None,
        "mend": change.text if change else None,
    }


def _none_words(solution: Solution) -> list[str]:
    return [solution.why] if solution.why else ["no chain from the bag works"]


def _say(near: End, far: End, finding: Finding | None, solution: Solution, change: Mend | None) -> None:
    if finding is None:
        typer.echo(f"{BAD} {_none_words(solution)[0]}")
        if solution.buy is not None:
            part, made = solution.buy
            typer.echo(f"buy: {part.name}; then {chain_line(near, far, made)}")
        return
    typer.echo(f"{GOOD if finding.works else BAD} {chain_line(near, far, finding)}")
    for ok, line in signal_lines(near, far, finding):
        typer.echo(f"  {GOOD if ok else BAD} {line}")
    for problem in finding.problems:
        typer.echo(f"  {problem.weight.name.lower()}: {problem.text}")
    if change is not None:
        typer.echo(f"mend: {change.text}; then {chain_line(near, far, change.finding)}")


def _list(have: Bag, json: bool) -> None:
    if json:
        print_document(
            "wire --list",
            {"ends": list(ENDS), "bag": [{"name": name, "count": count} for name, (_, count) in have.items()]},
        )
        return
    for name in ENDS:
        typer.echo(end_words(name))
    typer.echo("")
    for _, (part, count) in have.items():
        typer.echo(f"{count} x {part.text}")


def _say_idle(text: str, json: bool) -> None:
    try:
        readings = [float(word) for word in text.replace(",", " ").replace("V", " ").split()]
        verdict = idle(readings)
    except ReadingError as error:
        refuse(str(error), USAGE, json=json)
    except ValueError:
        refuse(f"--idle {text!r}: give readings in volts, such as '-8.4' or '0 3.3'", USAGE, json=json)
    if json:
        print_document("wire --idle", {"level": verdict.level, "means": verdict.means, "sure": verdict.sure})
    else:
        typer.echo(f"{verdict.level}: {verdict.means}")


def bus(
    file: Annotated[Path, typer.Argument(help="The bus in TOML: baud, and a [[node]] each; see docs/wiring.md.")],
    draw: Annotated[Path | None, typer.Option(help="Draw the bus into this .svg or .pdf.")] = None,
    force: ForceOption = False,
    json: Annotated[bool, typer.Option("--json")] = False,
) -> None:
    """Check an RS-485 bus: loads, terminators, bias, length and stubs against the rate."""
    with faults_said(json):
        try:
            nodes, baud = read_bus(read_given_text(file, "a bus file"))
            verdicts = check_bus(nodes, baud)
        except BusError as error:
            refuse(str(error), USAGE, json=json)
        if draw is not None:
            from ordolex.draw.bus import draw_bus

            write_drawing(draw_bus(nodes, baud, verdicts), draw, force=force)
    if json:
        print_document("bus", [{"rule": v.rule, "kept": v.kept, "text": v.text, "source": v.source} for v in verdicts])
    else:
        for v in verdicts:
            typer.echo(f"{GOOD if v.kept else BAD} {v.rule:12} {v.text}  ({v.source})")
        typer.echo("Names: B is the positive line at rest after TIA-485-A; some makers call it A. Measure, then join.")
    if not all(v.kept for v in verdicts):
        raise typer.Exit(FAILED)


def wave(
    text: Annotated[str, typer.Argument(help=r"Characters; \r \n \xHH and <CR> stand for control bytes.")],
    draw: Annotated[Path, typer.Option(help="Draw into this .svg or .pdf.")],
    line: Annotated[str, typer.Option(help="Line settings in any notation.")] = "9600 8N1",
    force: ForceOption = False,
    json: Annotated[bool, typer.Option("--json")] = False,
) -> None:
    """Draw characters as they look on the wire, at RS-232 and at logic levels, bits named and timed."""
    with faults_said(json):
        settings, data = read_line(line).settings, to_bytes(text)
        from ordolex.draw.waveform import draw_waveform

        try:
            figure = draw_waveform(data, settings)
        except ValueError as error:
            refuse(str(error), USAGE, json=json)
        write_drawing(figure, draw, force=force)
    if json:
        print_document("wave", {"file": str(draw), "characters": len(data), "line": settings.text})
    else:
        typer.echo(f"{len(data)} characters at {settings.text}: {draw}")
