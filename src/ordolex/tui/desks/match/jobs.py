"""What can be done in Match."""

from __future__ import annotations

from ordolex.tui.desks.match import drawing, moving, running, wishing
from ordolex.tui.desks.match.at import a_link
from ordolex.tui.job import Job

JOBS = (
    Job(
        "match.begin",
        "Match",
        running.begin,
        key="m",
        help="Listens, then asks harmless questions, until the settings are known.",
        footer="match",
        needs=a_link,
    ),
    Job(
        "match.stop",
        "Stop",
        running.stop,
        key="escape",
        help="Stops the match; the port goes back to its settings.",
        footer="stop",
    ),
    Job(
        "match.take",
        "Take these settings",
        running.take,
        key="enter",
        help="Gives the link the settings of the chosen cell.",
        footer="take",
        needs=a_link,
    ),
    Job("match.left", "Format before", moving.left, key="left", help="Reads what was heard at the cell to the left."),
    Job("match.right", "Next format", moving.right, key="right", help="Reads what was heard at the cell to the right."),
    Job("match.up", "Lower rate", moving.up, key="up", help="Reads what was heard at the rate above."),
    Job("match.down", "Higher rate", moving.down, key="down", help="Reads what was heard at the rate below."),
    Job(
        "match.polarity",
        "Polarity",
        moving.polarity,
        key="p",
        help="The map for a normal line, or for an inverted one.",
        footer="polarity",
    ),
    Job("match.earlier_bits", "Bits back", moving.earlier_bits, key="comma", help="Scrolls the drawn bits back."),
    Job(
        "match.later_bits",
        "Bits forward",
        moving.later_bits,
        key="full_stop",
        help="Scrolls the drawn bits forward.",
        footer="bits",
    ),
    Job(
        "match.stored",
        "From the record",
        running.work_on_record,
        key="s",
        help="Works on what the book has heard on this link.",
        footer="record",
        needs=a_link,
    ),
    Job(
        "match.begin_all",
        "Match all",
        running.begin_all,
        key="M",
        help="Every link that is not proven, and free ports if wanted, all at once.",
    ),
    Job(
        "match.wishes",
        "How to match",
        wishing.how_to_match,
        key="a",
        help="Questions, wait for each answer, unit IDs, data bits.",
        footer="how",
        needs=a_link,
    ),
    Job("match.draw", "Draw", drawing.draw, key="x", help="Writes the map or the bits as SVG or PDF.", footer="draw"),
)
