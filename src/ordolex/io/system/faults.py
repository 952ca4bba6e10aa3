"""Expected faults of the outside, each with what to do next. Foreign exceptions are turned into these where they occur.

Fault
├── PortMissing      no such port, or it was pulled
├── PortHeld         another process, or another client, has it
├── NoRights         the operating system refuses us
├── Unreachable      no host or no listener there
├── NotNetworkSerial a listener that does not speak RFC 2217
├── PortLost         it was open and went away
│   └── NobodyThere  nobody is there to take bytes: none of them went out
├── PortStuck        it is open and takes no bytes
├── SettingsRefused  the port cannot be set as asked
└── BookFault        the book cannot be opened, or cannot be written
"""

from __future__ import annotations


class Fault(Exception):
    """`what` happened and what to `do` next, each a clause without a full stop."""

    def __init__(self, what: str, do: str = "") -> None:
        super().__init__(f"{what}; {do}" if do else what)
        self.what = what
        self.do = do


class PortMissing(Fault):
    pass


class PortHeld(Fault):
    pass


class NoRights(Fault):
    pass


class Unreachable(Fault):
    pass


class NotNetworkSerial(Fault):
    pass


class PortLost(Fault):
    pass


class NobodyThere(PortLost):
    pass


class PortStuck(Fault):
    pass


class SettingsRefused(Fault):
    pass


class BookFault(Fault):
    pass
