"""A bundle for whoever is asked next: what is known of one link, what was tried, and every byte of it, secrets out."""

from __future__ import annotations

import json
import platform
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from datetime import UTC, datetime
from pathlib import Path

from ordolex import __version__
from ordolex.core.advice.causes import Cause
from ordolex.core.link.ladder import Rung
from ordolex.core.record.export import export, utc_text
from ordolex.core.record.items import LinkRecord
from ordolex.core.text.chance import chance
from ordolex.core.text.visible import visible_text
from ordolex.core.visit.bring_up import Outcome
from ordolex.core.visit.facts import facts_of
from ordolex.io.book.manifest import NAME, manifest
from ordolex.io.book.reader import BookReader
from ordolex.io.own.sheets import all_sheets
from ordolex.io.ports.survey import PortFacts
from ordolex.io.system.clock import utc_us
from ordolex.session.as_left import links_toml
from ordolex.session.whole import check_free, written_whole


@dataclass(frozen=True, slots=True)
class Story:
    """Where a link stands, and what was tried on it, in order."""

    verdict: str
    rung: Rung
    causes: Sequence[Cause] = ()
    tried: Sequence[Outcome] = ()


def support_bundle(
    book: Path, link: LinkRecord, into: Path, story: Story, ports: Sequence[PortFacts] = (), secrets: Iterable[str] = ()
) -> list[str]:
    """Writes the folder `into` and its zip, whole or not at all; the names of the files. Raises a Fault."""
    check_free(into)
    reader = BookReader(book)
    try:

        def fill(folder: Path) -> list[str]:
            files = {
                "read-me-first.txt": _head(reader, link, story),
                "environment.txt": _environment(ports),
                "links.toml": links_toml([link]),
                "tries.json": json.dumps([one.as_dict() for one in story.tried], indent=1, ensure_ascii=False) + "\n",
            }
            for name, text in files.items():
                (folder / name).write_text(text, encoding="utf-8")
            names = [*files, *_bytes(reader, link, folder)]
            whole = manifest(folder, names, reader.site(), utc_text(utc_us()), "")
            (folder / NAME).write_text(whole, encoding="utf-8")
            return [*names, NAME]

        return written_whole(into, fill, secrets)
    finally:
        reader.close()


def _head(reader: BookReader, link: LinkRecord, story: Story) -> str:
    lines = [f"Link      {link.name}", f"Port      {link.endpoint}", f"Settings  {link.line or 'none'} ({link.source})"]
    lines += [f"Sheet     {link.sheet or 'none'}", f"Verdict   {story.verdict}", f"Rung      {story.rung.word}"]
    for cause in story.causes:
        lines += ["", f"{chance(cause.share):>8}  {cause.words}", f"          test: {cause.test}"]
        lines += [f"          for: {words}" for words in cause.speaks_for]
        lines += [f"          against: {words}" for words in cause.against]
    lines += ["", "What was tried, in order (times are UTC)"]
    lines += [f"  {utc_text(one.utc_us)[:19]}  {one.text}" for one in story.tried] or ["  nothing was kept"]
    sheet = all_sheets()[0].get(link.sheet)
    lines += ["", "What is known"]
    lines += [
        f"  {fact.subject}: {fact.value} ({fact.source or 'nobody named'}; {fact.proof or 'said only'})"
        for fact in facts_of(link, list(reader.events(link.id)), sheet)
    ]
    return "\n".join(visible_text(line) for line in lines) + "\n"


def _environment(ports: Sequence[PortFacts]) -> str:
    """No name of a person or of the computer is in it."""
    lines = [
        f"Ordolex {__version__}",
        f"Python {platform.python_version()}",
        f"{platform.system()} {platform.release()}, {platform.machine()}",
        f"made {datetime.now(UTC):%Y-%m-%d %H:%M:%S} UTC",
        "",
        "Ports as surveyed",
    ]
    lines += [
        f"  {port.endpoint}  {port.name}, {port.what}, {port.state}"
        + (f", driver {port.driver}" if port.driver else "")
        for port in ports
    ] or ["  none"]
    return "\n".join(visible_text(line) for line in lines) + "\n"


def _bytes(reader: BookReader, link: LinkRecord, folder: Path) -> list[str]:
    names = {link.id: link.name}
    parts = [("log.txt", "text", None), ("heard.bin", "raw", "rx"), ("sent.bin", "raw", "tx")]
    written = []
    for name, form, direction in parts:
        with (folder / name).open("wb") as file:
            file.writelines(export(form, reader.timeline(link.id, direction, (None, None)), names, reader.charsets()))
        written.append(name)
    return written
