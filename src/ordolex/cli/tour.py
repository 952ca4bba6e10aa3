"""`demo --tour DIR`: the full example without the interface, step by step, with its results in files."""

from __future__ import annotations

import asyncio
import json
from pathlib import Path
from typing import Any

import typer

from ordolex.core.advice.next_step import advise
from ordolex.core.line.notation import read_line
from ordolex.core.link.question import Question
from ordolex.core.port.bench_notice import BenchNotice
from ordolex.core.record.export import FORMS, SUFFIX, export
from ordolex.core.record.items import LinkRecord
from ordolex.io.book.book import Book
from ordolex.io.link.runner import LinkRunner
from ordolex.io.ports.survey import survey
from ordolex.io.system.clock import mono_s
from ordolex.io.system.faults import Fault
from ordolex.io.system.files import is_there

_SENTENCES = 4
_LOOKS = 200  # at the most, ten a second


def run_tour(notice: BenchNotice, folder: Path) -> None:
    """Finds, asks at the right and at a wrong rate, listens, and exports. Writes tour.json and the exports."""
    try:
        folder.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise Fault(f"{folder} cannot be made: {error.strerror}", "choose another folder") from error
    path = folder / "tour.ordolex"
    if is_there(path):
        raise Fault(f"{path} is there already", "choose an empty folder; nothing is overwritten")
    book = Book(path, notice.site)
    try:
        steps = asyncio.run(_steps(notice, book))
        names = {link.id: link.name for link in book.links()}
    finally:
        book.close()
    from ordolex.io.book.reader import BookReader

    reader = BookReader(path)
    for form in FORMS:
        (folder / f"tour.{SUFFIX[form]}").write_bytes(b"".join(export(form, reader.timeline(), names)))
    reader.close()
    (folder / "tour.json").write_text(json.dumps(steps, indent=1, ensure_ascii=False) + "\n")
    typer.echo(f"{len(steps)} steps; results in {folder}")


async def _steps(notice: BenchNotice, book: Book) -> list[dict[str, Any]]:
    steps: list[dict[str, Any]] = []

    def done(step: str, **facts: Any) -> None:
        steps.append({"step": step, **facts})
        typer.echo(f"{len(steps)}. {step}: " + ", ".join(f"{k} {v}" for k, v in facts.items()))

    rows = [row for row in await asyncio.to_thread(survey) if row.bench]
    done("find the ports", found=len(rows), free=sum(row.state == "free" for row in rows))
    oxygen = next(device for device in notice.devices if device.kind == "oxygen")
    talker = next(device for device in notice.devices if device.kind == "temperature")
    read = read_line("19k2 8-N-1")
    done("read the sticker '19k2 8-N-1'", line=read.settings.text)
    link = book.add_link(LinkRecord(0, oxygen.name, oxygen.endpoint, oxygen.line, "sticker"))
    runner = LinkRunner(link.id, link.endpoint, read.settings, book.recorder)
    await runner.open()
    done("open the port", rung=runner.rung.word)
    for text in ("*IDN?", "MEAS:OXYG?"):
        answer = await runner.ask(Question(text.encode() + b"\n"))
        ms = round((answer.last_s or 0) * 1000, 1)
        done(f"ask {text}", reply=answer.data.decode().strip(), ms=ms, rung=runner.rung.word)
    await runner.retune(read_line("4800 8N1").settings)
    answer = await runner.ask(Question(b"*IDN?\n"))
    evidence = runner.view().evidence
    advice = advise(evidence, mono_s())
    done(
        "ask again at a wrong rate, 4800",
        bytes=len(answer.data),
        errors=answer.errors.words() or "none",
        rung=runner.rung.word,
        advice=advice.sentence if advice else "",
    )
    await runner.release()
    link = book.add_link(LinkRecord(0, talker.name, talker.endpoint, talker.line, "sticker"))
    listener = LinkRunner(link.id, link.endpoint, read_line(talker.line).settings, book.recorder)
    await listener.open()
    for _ in range(_LOOKS):
        await asyncio.sleep(0.1)
        if listener.view().evidence.checks_right >= _SENTENCES:
            break
    evidence = listener.view().evidence
    done("listen to the temperature string", bytes=evidence.heard, checksums_right=evidence.checks_right,
         rung=evidence.rung.word)  # fmt: skip
    await listener.release()
    return steps
