"""What to do when the port is not as wanted: for each thing that a technician sees, the causes in order of likelihood.

The survey's evidence moves a cause to the front or takes it out; each comes with the cheap test that tells and with the
next step. No screen text of an operating system is quoted, since those change.
"""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class Seen:
    """What the survey knows.

    driverless  names of plugged adapters that have no driver
    just_left   names of ports that were there a moment ago
    held        ports that somebody holds
    no_rights   ports that we may not use
    listed      how many ports there are
    came        whether one came since the program started
    """

    driverless: tuple[str, ...] = ()
    just_left: tuple[str, ...] = ()
    held: tuple[str, ...] = ()
    no_rights: tuple[str, ...] = ()
    listed: int = 0
    came: bool = False


@dataclass(frozen=True, slots=True)
class Remedy:
    """cause, how it shows (`test`), and what to do. `because` is the survey's evidence for it, where there is any."""

    cause: str
    test: str
    step: str
    because: str = ""


SIGHTS: dict[str, str] = {
    "absent": "My adapter is not in the list",
    "none": "This PC has no serial port at all",
    "driver": "The adapter is there, but has no driver",
    "number": "The port has another number than before, or the old program offers low numbers only",
    "taken": "It opens, but somebody else seems to have the device",
    "radio": "The device is reached by a radio link (a paired serial port)",
    "rights": "I may not open it, or am asked for higher rights",
}
"""Key → what the technician sees, in his words."""

_LOOSE = Remedy(
    "the plug is loose, or the hub or cable carries power only",
    "push it in, then another socket of the PC itself, without a hub; the list shows it within two seconds",
    "keep to the socket that works, and change the cable that does not",
)
_UNPOWERED = Remedy(
    "the adapter or the device behind it has no power",
    "its lamp lights when it is plugged in; a device with its own USB socket must be switched on",
    "switch it on, wait until it has booted, plug it in again",
)
_TAKEN = Remedy(
    "another host has it: a virtual machine, a docking station, a second PC",
    "a virtual machine takes USB devices away from its host as soon as they are plugged in",
    "let it go there, then pull it and plug it in here",
)
_DRIVER = Remedy(
    "it is plugged in, but no driver takes it",
    "the list has a row with the state 'no driver', with its USB id",
    "see 'The adapter is there, but has no driver'",
)
_FAULTY = Remedy(
    "the adapter is faulty",
    "on another PC it is missing too, while another adapter shows here",
    "take the spare one; mark this one",
)
_BUILT_IN_OFF = Remedy(
    "it is a built-in port that is switched off in the firmware set-up, or is only a header on the board",
    "no row with a built-in port's name (ttyS, COM1) in the list",
    "switch it on in the set-up, or use an adapter",
)

_SUBSTITUTES = [
    Remedy(
        "USB adapter to RS-232, RS-485 or logic level",
        "needs a free USB socket; most need no driver on Linux, some do on Windows; rights to the port may lack",
        "go by the device's level, not by its connector: Wire (F3) says which; RS-232 into logic pins does damage",
    ),
    Remedy(
        "serial box on the network (RFC 2217 or raw TCP)",
        "needs its address and a free TCP port, no driver and no rights; a radio or routed network adds delay",
        "press a in Find and type rfc2217://host:port; raw TCP leaves the line settings to the box",
    ),
    Remedy(
        "serial radio module, paired",
        "no cable, but it must be paired first, it can be taken by another host, and it drops out",
        "pair it in the system's settings; its port then shows in the list",
    ),
    Remedy(
        "in a virtual machine: hand the USB adapter through, or use the network",
        "a virtual machine has no serial port of its own; the host must let the adapter go",
        "hand the adapter through in the machine's settings, or reach the host's port as rfc2217://",
    ),
]

_CAUSES: dict[str, list[Remedy]] = {
    "absent": [_LOOSE, _UNPOWERED, _DRIVER, _TAKEN, _BUILT_IN_OFF, _FAULTY],
    "none": _SUBSTITUTES,
    "driver": [
        Remedy(
            "the system has the driver, but has not loaded it",
            "Linux: the kernel's log says what it made of the USB id; Windows: the system's own update finds most",
            "Linux: load the module or install the kernel's extra modules; Windows: let the system search for it once",
        ),
        Remedy(
            "the driver comes from the adapter's maker",
            "the USB id (vendor:product) is not known to the system",
            "load it before going on site, from the maker of the chip, not of the cable; 64-bit for a 64-bit system",
        ),
        Remedy(
            "a driver is there, but refuses this chip: a copy, or a driver of the wrong width or age",
            "the device shows with a fault in the system's list of devices",
            "use another adapter; on the same site do not change drivers that other programs rely on",
        ),
    ],
    "number": [
        Remedy(
            "each USB socket and each adapter without serial number gets a number of its own",
            "pull it and plug it into the socket of last time: the old number is back",
            "nothing to do here: a link follows its adapter, not the number (u names an adapter for good)",
        ),
        Remedy(
            "an old program offers only low numbers",
            "its list ends at 4 or 8, while the port here is higher",
            "here any number will do, and none is better than another. For that program change the number in the"
            " system's device settings, pull the adapter, plug it in again, and start that program anew",
        ),
        Remedy(
            "the number was changed while the adapter was plugged in",
            "opening it fails though it is listed",
            "pull it and plug it in; an open link waits here and goes on by itself",
        ),
    ],
    "taken": [
        Remedy(
            "another program on this PC holds the port",
            "the list says 'held', and by which process where the system tells",
            "close it there, then press Enter",
        ),
        Remedy(
            "another master is on the bus, and asks the same devices",
            "open it and only listen: questions pass that we did not send, answers come unasked",
            "agree with whoever runs it, stop it or take its place; never two masters on one bus",
        ),
        Remedy(
            "the device serves one host at a time (radio, TCP), and another one is joined to it",
            "it answers as soon as the other one leaves; a TCP port refuses or closes at once",
            "end the other session, wait for the device's time-out, then open it again",
        ),
    ],
    "radio": [
        Remedy(
            "it is not paired",
            "the system's list of radio devices has no such name",
            "switch the device to its pairing state (often a key held while switching on), pair it in the system's"
            " settings; many devices take a fixed passcode that stands in their manual",
        ),
        Remedy(
            "it is paired, but its serial service is not joined to a port",
            "paired in the system's list, but no new row here",
            "add the outgoing serial port in the system's settings; of two ports take the outgoing one",
        ),
        Remedy(
            "it is out of reach, asleep, or joined to another host",
            "opening takes seconds and fails; near the device it works",
            "go nearer, wake it, end the other host's session; expect to try several times, they are counted",
        ),
    ],
    "rights": [
        Remedy(
            "the user is not in the group that owns the port (Linux)",
            "the row says 'no rights' and which group",
            "sudo usermod -aG GROUP $USER once, then log in again; no need to run anything as root",
        ),
        Remedy(
            "no rule gives the adapter to a group",
            "the port belongs to root alone",
            'a line in /etc/udev/rules.d/60-serial.rules: SUBSYSTEM=="tty", GROUP="dialout", MODE="0660"; then replug',
        ),
        Remedy(
            "installing a driver or changing a port's number needs an administrator (Windows)",
            "a security prompt appears",
            "have it done before going on site; opening ports, and this program, need no such rights",
        ),
    ],
}  # fmt: skip


def remedies(sight: str, seen: Seen) -> list[Remedy]:
    """The causes for one of SIGHTS, those that the survey speaks for first. Raises KeyError for an unknown sight."""
    causes = [_with_evidence(cause, seen) for cause in _CAUSES[sight]]
    return sorted(causes, key=lambda cause: not cause.because)


def _with_evidence(cause: Remedy, seen: Seen) -> Remedy:
    because = ""
    if cause is _DRIVER and seen.driverless:
        because = f"{', '.join(seen.driverless)} has no driver"
    elif cause is _LOOSE and seen.just_left:
        because = f"{', '.join(seen.just_left)} left a moment ago"
    elif cause is _CAUSES["taken"][0] and seen.held:
        because = f"{', '.join(seen.held)} is held"
    elif cause is _CAUSES["rights"][0] and seen.no_rights:
        because = f"{', '.join(seen.no_rights)} may not be used"
    return Remedy(cause.cause, cause.test, cause.step, because)


def likely_sight(seen: Seen) -> str:
    """Which of SIGHTS the survey speaks for, so that it stands first in the list."""
    if seen.driverless:
        return "driver"
    if seen.no_rights:
        return "rights"
    if not seen.listed:
        return "none"
    return "absent"
