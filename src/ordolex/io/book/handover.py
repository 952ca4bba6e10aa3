"""The visit folder: what is handed over at the end, as files that anybody can read."""

from __future__ import annotations

import re
import tempfile
import zipfile
from pathlib import Path

from ordolex.core.record.export import export, utc_text
from ordolex.core.record.items import Event, LinkRecord
from ordolex.core.text.visible import visible, visible_text
from ordolex.io.book.reader import BookReader
from ordolex.io.system.faults import Fault
from ordolex.io.system.files import safe_name


def write_visit(book: Path, into: Path) -> list[str]:
    """Writes folder or, where the name ends in .zip, archive `into`; the names of the files in it. Raises a Fault."""
    if into.exists() and (into.is_file() or any(into.iterdir())):
        raise Fault(f"{into} is there already", "choose a new name; nothing is written over")
    reader = BookReader(book)
    try:
        if into.suffix.lower() != ".zip":
            into.mkdir(parents=True, exist_ok=True)
            return _write(reader, into)
        with tempfile.TemporaryDirectory(dir=into.parent) as folder:
            names = _write(reader, Path(folder))
            with zipfile.ZipFile(into, "w", zipfile.ZIP_DEFLATED) as archive:
                for name in names:
                    archive.write(Path(folder) / name, f"{into.stem}/{name}")
            return names
    except OSError as error:
        raise Fault(f"{into} cannot be written: {error.strerror}", "choose another place") from error
    finally:
        reader.close()


def _write(reader: BookReader, folder: Path) -> list[str]:
    links = reader.links()
    names = {link.id: link.name for link in links}
    files: list[str] = []

    def put(name: str, text: str) -> None:
        (folder / name).parent.mkdir(parents=True, exist_ok=True)
        (folder / name).write_text(text, encoding="utf-8")
        files.append(name)

    def put_pieces(name: str, form: str, link: int | None = None, direction: str | None = None) -> None:
        (folder / name).parent.mkdir(parents=True, exist_ok=True)
        with (folder / name).open("wb") as file:
            file.writelines(export(form, reader.timeline(link, direction), names))
        if (folder / name).stat().st_size:
            files.append(name)
        else:
            (folder / name).unlink()

    events = list(reader.events())
    put_pieces("log.txt", "text")
    for link in links:
        for direction, word in (("rx", "heard"), ("tx", "sent")):
            put_pieces(f"raw/{_file_name(link.name)}.{word}.bin", "raw", link.id, direction)
    for event, table in reader.known.tables():
        when = re.sub(r"[^\d]", "", utc_text(event.utc_us)[:19])
        stem = f"tables/{_file_name(names.get(event.link, 'book'))}.{_file_name(table.name)}.{when}"
        put(f"{stem}.csv", table.csv())
        if table.odd:
            put(f"{stem}.odd.txt", "".join(f"line {number}: {text}\n" for number, text in table.odd))
    put("settings.txt", _settings(links, events))
    put("changes.txt", _changes(links, events))
    put("proof.txt", _proof(links, events))
    put("open-points.txt", _open_points(links, events))
    put("restore.txt", _restore(events))
    what = {
        "log.txt": "everything that passed, to read",
        "settings.txt": "each link's settings and where they are from",
        "changes.txt": "each device's settings as found, and every change with what became of it",
        "proof.txt": "what was asked last on each link and answered rightly, with bytes and time",
        "open-points.txt": "links that are not proven, lists that are not whole, and notes",
        "restore.txt": "what was moved for the work, and whether it was put back",
    }
    rows = [f"{name:40} {what.get(name, '')}".rstrip() for name in sorted(files)]
    put("contents.txt", f"{reader.site()}\n\n" + "\n".join(rows) + "\n")
    return sorted(files)


def _settings(links: list[LinkRecord], events: list[Event]) -> str:
    out = []
    for link in links:
        rung = next((e.detail.get("to", "") for e in reversed(events) if e.link == link.id and e.kind == "rung"), "")
        out.append(
            f"{visible_text(link.name)}\n  endpoint {link.endpoint}\n  line {link.line or 'none'}"
            f" ({link.source or 'no source'})\n  line end {link.line_end}\n  sheet {link.sheet or 'none'}"
            f"{f', unit {link.unit}' if link.unit >= 0 else ''}\n"
            f"  identity {visible_text(link.identity) or 'not asked'}\n"
            f"  last rung {rung or 'never opened'}\n"
        )
    return "\n".join(out) or "no links\n"


def _changes(links: list[LinkRecord], events: list[Event]) -> str:
    out = []
    for link in links:
        rows = [e for e in events if e.link == link.id and e.kind in ("found", "set", "procedure", "run", "scan")]
        if rows:
            out.append(f"{visible_text(link.name)}\n")
            out += [f"  {utc_text(event.utc_us)} {visible_text(event.text)}\n" for event in rows]
    return "".join(out) or "nothing was changed\n"


def _proof(links: list[LinkRecord], events: list[Event]) -> str:
    out = []
    for link in links:
        right = [e for e in events if e.link == link.id and e.kind == "answer" and e.detail.get("verdict") == "right"]
        if not right:
            out.append(f"{visible_text(link.name)}: nothing was answered rightly\n")
            continue
        last = right[-1]
        asked, answered = (bytes.fromhex(str(last.detail[key])) for key in ("question_hex", "answer_hex"))
        out.append(
            f"{visible_text(link.name)}, {utc_text(last.utc_us)}\n  asked    {visible(asked)}   {asked.hex(' ')}\n"
            f"  answered {visible(answered)}   {answered.hex(' ')}\n  after {last.detail.get('last_ms')} ms,"
            f" {last.detail.get('line_errors', 0)} line errors, {len(right)} right answers in all\n"
        )
    return "\n".join(out) or "no links\n"


def _open_points(links: list[LinkRecord], events: list[Event]) -> str:
    out = []
    for link in links:
        last = next((e for e in reversed(events) if e.link == link.id and e.kind == "rung"), None)
        best = {str(e.detail.get("to")) for e in events if e.link == link.id and e.kind == "rung"}
        if "Proven" not in best:
            out.append(
                f"{visible_text(link.name)}: not proven; it came to {last.detail.get('to') if last else 'nothing'}"
            )
    for event in events:
        if event.kind == "table" and ("missing" in event.text or "not whole" in event.text or event.detail.get("odd")):
            out.append(visible_text(event.text))
        elif event.kind == "note":
            out.append(f"{utc_text(event.utc_us)} note: {visible_text(event.text)}")
    return "\n".join(out) + "\n" if out else "none\n"


def _restore(events: list[Event]) -> str:
    rows = [f"{utc_text(e.utc_us)} {visible_text(e.text)}" for e in events if "put back" in e.text.lower()]
    return "\n".join(rows) + "\n" if rows else "nothing was moved\n"


def _file_name(text: str) -> str:
    return safe_name(text)
