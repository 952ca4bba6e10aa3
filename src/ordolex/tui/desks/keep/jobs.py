"""What can be done in Keep."""

from __future__ import annotations

from ordolex.tui.desks.keep import handing_over, sifting, spans
from ordolex.tui.desks.keep.at import KeepAt
from ordolex.tui.job import Job


def _close_visit(at: KeepAt) -> None:
    at.run_everywhere("app.closing")


JOBS = (
    Job(
        "keep.filter",
        "Filter",
        sifting.filter_rows,
        key="f",
        help="Only rows that hold a text; hex:0d0a for bytes, re:… for a pattern.",
        footer="filter",
    ),
    Job(
        "keep.search",
        "Search",
        sifting.search,
        key="slash",
        help="Jumps to the next row that holds a text.",
        footer="search",
    ),
    Job("keep.next_match", "Next match", sifting.next_match, key="n", help="Searches on from here.", footer="next"),
    Job(
        "keep.which_link",
        "Which link",
        sifting.which_link,
        key="l",
        help="One link after the other, then all.",
        footer="link",
    ),
    Job(
        "keep.which_direction",
        "Which direction",
        sifting.which_direction,
        key="d",
        help="Sent, heard, notes, then all.",
        footer="direction",
    ),
    Job(
        "keep.bytes_shown",
        "Text or hex",
        sifting.bytes_shown,
        key="t",
        help="Shows text, hex, or both side by side.",
        footer="text/hex",
    ),
    Job(
        "keep.export",
        "Export",
        handing_over.export_record,
        key="x",
        help="Writes the record as text, CSV, JSON lines, raw or pcapng.",
        footer="export",
    ),
    Job(
        "keep.mark",
        "Mark",
        spans.mark,
        key="m",
        help="A mark with a word in the record, at this moment.",
        footer="mark",
    ),
    Job(
        "keep.fold",
        "Bookkeeping",
        sifting.fold,
        key="k",
        help="Shows rungs, control lines and what each question was worth, or leaves them out.",
        footer="bookkeeping",
    ),
    Job(
        "keep.rotate",
        "Older bytes into volumes",
        handing_over.rotate,
        key="o",
        help="At a size or an age: for recording over weeks.",
    ),
    Job("keep.jump", "Jump to a time", spans.jump, key="g", help="Puts the cursor on the first row of that time."),
    Job(
        "keep.compare",
        "Compare",
        spans.compare_spans,
        key="c",
        help="Two spans, each from a mark to the next, side by side.",
        footer="compare",
    ),
    Job(
        "keep.tables",
        "Tables",
        handing_over.show_tables,
        key="b",
        help="Lists pulled from devices, with gaps and odd rows; as CSV.",
        footer="tables",
    ),
    Job(
        "keep.visit",
        "Hand over",
        handing_over.hand_all_over,
        key="v",
        help="Report as PDF and page, log, bytes, tables, values, open points; with a manifest.",
        footer="hand over",
    ),
    Job(
        "keep.close",
        "Close the visit",
        _close_visit,
        key="z",
        help="What is still open, settled from there; then hand over.",
        footer="close",
    ),
    Job(
        "keep.clear_filters",
        "All rows",
        sifting.clear_filters,
        key="escape",
        help="Takes all filters away.",
        footer="all rows",
    ),
)
