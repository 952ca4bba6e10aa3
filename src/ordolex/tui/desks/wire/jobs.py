"""What can be done in Wire."""

from __future__ import annotations

from ordolex.tui.desks.wire import bags, chain, pictures
from ordolex.tui.job import Job

JOBS = (
    Job(
        "wire.near",
        "End at the PC",
        chain.near_end,
        key="n",
        help="Which connector the PC's side has.",
        footer="PC's end",
    ),
    Job(
        "wire.device",
        "End at the device",
        chain.device_end,
        key="d",
        help="Which connector the device has.",
        footer="device's end",
    ),
    Job(
        "wire.flow",
        "Handshake",
        chain.next_flow,
        key="h",
        help="Which flow control must work: none, RTS/CTS, DTR/DSR.",
        footer="handshake",
    ),
    Job(
        "wire.put",
        "Put a part in",
        chain.put_in,
        key="p",
        help="Checks the chain in hand, part by part.",
        footer="put in",
    ),
    Job("wire.take", "Take the last part out", chain.take_out, key="backspace", help="Shortens the chain in hand."),
    Job(
        "wire.best",
        "Best from the bag",
        chain.best,
        key="s",
        help="Forgets the chain in hand, solves from the bag.",
        footer="solve",
    ),
    Job(
        "wire.bag",
        "Bag at hand",
        bags.bag_at_hand,
        key="a",
        help="Another bag; how many of each part are in it.",
        footer="bag",
    ),
    Job(
        "wire.idle",
        "Idle voltage",
        chain.idle_voltage,
        key="i",
        help="What a reading on a pin says.",
        footer="idle volts",
    ),
    Job(
        "wire.faces",
        "Connector",
        pictures.face,
        key="f",
        help="The device's connector from both sides, with its signals.",
        footer="connector",
    ),
    Job(
        "wire.bus",
        "RS-485 bus",
        pictures.bus,
        key="b",
        help="Checks a bus from a file: loads, terminators, bias, length.",
        footer="bus",
    ),
    Job(
        "wire.wave",
        "Waveform",
        pictures.waveform,
        key="w",
        help="Draws characters as they look on the wire.",
        footer="waveform",
    ),
    Job(
        "wire.draw",
        "Draw",
        pictures.draw,
        key="x",
        help="Writes the chain with every pin as SVG or PDF.",
        footer="draw",
    ),
)
