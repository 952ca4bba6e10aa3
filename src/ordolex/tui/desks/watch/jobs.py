"""What can be done in Watch."""

from __future__ import annotations

from ordolex.tui.desks.watch import comparing, doing, handing_over, importing, making
from ordolex.tui.desks.watch.at import WatchAt, a_running_round, an_item, some_values
from ordolex.tui.job import Job
from ordolex.tui.widgets.prompts import Pick


async def more(at: WatchAt) -> None:
    chosen = await at.ask(Pick("More", at.menu))
    if chosen is not None:
        at.run(chosen)


JOBS = (
    Job("watch.go", "Start or stop", doing.go, key="enter", help="Starts a round of the book, or stops what runs.",
        footer="start/stop"),
    Job("watch.new", "New round", making.new, key="n",
        help="Of what sheets offer, of a question, of a file.", footer="new"),
    Job("watch.demo", "The demo's round", making.demo, key="d",
        help="A day at the hatchery in fast time, over nine links of the bench.", footer="demo"),
    Job("watch.chart", "Into the chart", doing.chart, key="space", help="Puts the item in, or takes it out.",
        footer="chart", needs=some_values),
    Job("watch.limits", "Limits", doing.limits, key="l", help="Low, high, hysteresis, delay, stuck, dead band.",
        footer="limits", needs=an_item),
    Job("watch.pause", "Pause", doing.pause, key="p", help="Asks nothing, or goes on.", footer="pause",
        needs=a_running_round),
    Job("watch.once", "One pass now", doing.once, key="o", help="Asks everything once, also while it is paused.",
        needs=a_running_round),
    Job("watch.faster", "Faster", doing.faster, key="f", help="Asks twice as often.", needs=a_running_round),
    Job("watch.slower", "Slower", doing.slower, key="s", help="Asks half as often.", needs=a_running_round),
    Job("watch.acknowledge", "Acknowledge", doing.acknowledge, key="a", help="What stands now was seen.",
        footer="seen", needs=a_running_round),
    Job("watch.zoom_in", "Zoom in", doing.zoom_in, key="plus", help="A shorter time in the chart.",
        needs=some_values),
    Job("watch.zoom_out", "Zoom out", doing.zoom_out, key="minus", help="A longer time, up to a year.",
        needs=some_values),
    Job("watch.earlier", "Earlier", doing.earlier, key="left", help="Half the chart's width back in time.",
        needs=some_values),
    Job("watch.later", "Later", doing.later, key="right", help="The same towards now.", needs=some_values),
    Job("watch.mark_left", "Cursor left", doing.mark_left, key="comma", help="A cursor in the chart: the value there.",
        needs=some_values),
    Job("watch.mark_right", "Cursor right", doing.mark_right, key="full_stop", help="The same to the right.",
        needs=some_values),
    Job("watch.turn_over", "Table or chart", doing.turn_over, key="v", help="On a small screen the other of the two.",
        needs=some_values),
    Job("watch.export", "Export", handing_over.export, key="x", help="CSV or JSON lines, the chart as SVG or PDF.",
        footer="export", needs=some_values),
    Job("watch.compare", "Compare spans", comparing.compare, key="c",
        help="The span shown with the one before; or two items, such as another instrument's, at the same times.",
        needs=some_values),
    Job("watch.plan", "Line time", doing.plan, key="t", help="What each question takes, and what would make room.",
        needs=a_running_round),
    Job("watch.jump", "Its bytes", handing_over.jump, key="g", help="The record at the value, or at the cursor.",
        needs=some_values),
    Job("watch.more", "More", more, key="m", help="Interval, unit, import, publishing, a unit scan, deleting a round.",
        footer="more"),
    Job("watch.units", "Unit scan of the line: who is missing, new, moved", doing.call_units, needs=an_item),
    Job("watch.sheet", "Make a sheet of the columns that were named", making.offer_sheet, needs=an_item),
    Job("watch.rest", "Pause the item's device alone, or go on with it", doing.rest, needs=an_item),
    Job("watch.interval", "Interval of the item", doing.interval, needs=an_item),
    Job("watch.unit", "Unit of the item", doing.rename, needs=an_item),
    Job("watch.import", "Import the table of another instrument", importing.take),
    Job("watch.forget", "Take an import out of the book", importing.drop),
    Job("watch.publish", "Publish by MQTT", handing_over.publish, needs=a_running_round),
    Job("watch.listen", "Show what others publish", handing_over.listen),
    Job("watch.drop", "Delete a round", doing.drop),
)  # fmt: skip
