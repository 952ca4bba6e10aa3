"""What can be done in Find."""

from __future__ import annotations

from ordolex.tui.desks.find import bench_faults, opening, which_port
from ordolex.tui.job import Job

JOBS = (
    Job(
        "find.open_port",
        "Open the port",
        opening.open_port,
        key="enter",
        help="Asks for the line settings, then opens it.",
        footer="open",
    ),
    Job(
        "find.type_address",
        "Type an address",
        opening.type_address,
        key="a",
        help="A port that is not listed, rfc2217:// or tcp://.",
        footer="address",
    ),
    Job(
        "find.bring_up",
        "Bring a device up",
        which_port.bring_up,
        key="n",
        help="From a device on the table to a proven link, step by step, with a bundle where it is not proven.",
        footer="bring up",
    ),
    Job(
        "find.ready",
        "Ready?",
        which_port.ready,
        key="k",
        help="What must be so before the hunt, from the device's sheet.",
        footer="ready?",
    ),
    Job(
        "find.last_link",
        "Last good link",
        opening.last_link,
        key="g",
        help="Opens the link that was proven last, as it was.",
        footer="last good",
    ),
    Job(
        "find.everywhere",
        "Ask everywhere",
        which_port.ask_everywhere,
        key="e",
        help="One question on all free ports at once.",
        footer="ask all",
    ),
    Job(
        "find.identify",
        "Identify by unplugging",
        which_port.identify,
        key="u",
        help="Pull an adapter and plug it in: that one; name it.",
        footer="unplug",
    ),
    Job(
        "find.trouble",
        "Not as wanted?",
        which_port.trouble,
        key="w",
        help="What is likely, and the next step: no port, no driver, no rights.",
        footer="trouble?",
    ),
    Job(
        "find.release",
        "Release the port",
        opening.release,
        key="r",
        help="Lets the port go; it is free at once.",
        footer="release",
    ),
    Job(
        "find.fault",
        "Bench fault",
        bench_faults.set_fault,
        key="b",
        help="Makes a bench device silent, late, noisy or vanish.",
        footer="bench fault",
    ),
)
