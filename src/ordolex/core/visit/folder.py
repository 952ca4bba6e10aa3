"""The report as small texts, for whoever reads nothing but text."""

from __future__ import annotations

from ordolex.core.text.counts import counted
from ordolex.core.text.visible import visible_text
from ordolex.core.visit.report import Report, Told

CONTENTS = {
    "report.pdf": "the report, to print",
    "report.html": "the same as a page, also for a phone",
    "log.txt": "everything that passed, to read",
    "record.pcapng": "everything that passed, for network analysers",
    "links.toml": "each link's port, line settings, sheet and unit, to be read back",
    "settings.txt": "what is known of each link, and from where",
    "changes.txt": "each device's settings as found and as left, procedures, measurements",
    "proof.txt": "what was asked last on each link and answered rightly, with bytes and time",
    "open-points.txt": "what is to settle, by urgency",
    "restore.txt": "what was moved for the work, and whether it was put back",
    "manifest.json": "SHA-256 of every file here, and of the record's segments; `ordolex verify` holds them against it",
}
"""File → what it is."""


def texts(report: Report) -> dict[str, str]:
    """Name → text."""
    return {
        "settings.txt": _settings(report), "changes.txt": _changes(report), "proof.txt": _proof(report),
        "open-points.txt": _open_points(report), "restore.txt": _restore(report),
    }  # fmt: skip


def contents(report: Report, names: list[str]) -> str:
    rows = [f"{name:40} {CONTENTS.get(name, '')}".rstrip() for name in names]
    return f"{visible_text(report.site)}, {report.period}\ntimes in {report.zone}\n\n" + "\n".join(rows) + "\n"


def _told(rows: list[Told], indent: str = "") -> str:
    return "".join(
        f"{indent}{row.when}  {visible_text(row.words)}{f'  ({row.effect})' if row.effect else ''}\n" for row in rows
    )


def _restore(report: Report) -> str:
    out = _told(report.restored) or "no note says that something was put back\n"
    if report.to_restore:
        return (
            out + "\nto put back, or to look at:\n" + "".join(f"  {visible_text(one)}\n" for one in report.to_restore)
        )
    return out + "nor that something was moved; no sheet names something to put back\n" if not report.restored else out


def _settings(report: Report) -> str:
    out = []
    for link in report.links:
        rows = [
            f"  {fact.subject}: {visible_text(fact.value)} (from {visible_text(fact.source) or 'nobody named'}"
            f"{f', {when}' if when else ''}; {fact.proof or 'said only'})" for fact, when in link.facts
        ]  # fmt: skip
        rows = [f"  {r.layer}: {r.state}; {visible_text(r.words)}" for r in link.reached] + rows
        rows += [f"  these do not agree: {visible_text(line)}" for line in link.contradictions]
        out.append("\n".join([visible_text(link.name), f"  rung: {link.rung}", *rows]) + "\n")
    return "\n".join(out) or "no links\n"


def _changes(report: Report) -> str:
    out = []
    for link in report.links:
        rows = []
        for device in link.settings:
            rows.append(f"  {visible_text(device.device)}\n")
            for row in device.rows:
                left = f" → {row.left}" if row.left else ""
                state = f"   {row.state}" if row.state else ""
                rows.append(f"    {row.name}: {visible_text(f'{row.found}{left}{state}')}\n")
        rows += [_told(link.procedures, "  "), _told(link.measured, "  ")]
        if any(rows):
            out.append(f"{visible_text(link.name)}\n{''.join(rows)}")
    return "\n".join(out) or "nothing was read or changed\n"


def _proof(report: Report) -> str:
    out = []
    for link in report.links:
        proof = link.proof
        if proof is None:
            out.append(f"{visible_text(link.name)}: nothing was answered rightly\n")
            continue
        out.append(
            f"{visible_text(link.name)}, {proof.when}\n  asked    {proof.asked}   {proof.asked_hex}\n"
            f"  answered {proof.answered}   {proof.answered_hex}\n  after {proof.ms}"
            + (f", {counted(proof.right, 'right answer')} in all\n" if proof.right else "\n")
        )
    return "\n".join(out) or "no links\n"


def _open_points(report: Report) -> str:
    rows = [f"{p.urgency.words:10} {visible_text(f'{p.link}: {p.words}' if p.link else p.words)}" for p in
            report.open_points]  # fmt: skip
    return "\n".join(rows) + "\n" if rows else "none is known\n"
