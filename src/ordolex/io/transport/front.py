"""Ports that somebody else uses: a program on a virtual port, a peer at a listener. What he asks of the port besides
its bytes goes to a Front."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Protocol, runtime_checkable

from ordolex.core.line.settings import LineSettings


@dataclass(slots=True)
class User:
    """Somebody who uses the port now: a program, or a peer. Bytes are counted as he sees them: `sent` are his.

    writes       his bytes are passed on
    sends_no_more  he said that he sends no more (TCP, half-closed), and may still be sent to
    passed_over  bytes of his that were not passed on, for another one writes
    """

    name: str
    since_s: float
    sent: int = 0
    heard: int = 0
    writes: bool = True
    sends_no_more: bool = False
    passed_over: int = 0


class Front(Protocol):
    async def set_line(self, line: LineSettings) -> LineSettings:
        """The user wants these settings; those in force afterwards. Raises a Fault where they are refused."""

    async def set_outputs(self, *, dtr: bool | None = None, rts: bool | None = None) -> None:
        """The user sets his control lines."""

    async def set_break(self, on: bool) -> None:
        """The user begins or ends a break."""

    def discard(self, *, to_user: bool, from_user: bool) -> None:
        """The user wants what waits to be thrown away."""

    def users_changed(self) -> None:
        """Somebody came or left."""

    def said(self, text: str) -> None:
        """A remark for the record."""


class NoFront:
    """Where nobody is behind it: settings are taken as they are, and do nothing."""

    async def set_line(self, line: LineSettings) -> LineSettings:
        return line

    async def set_outputs(self, *, dtr: bool | None = None, rts: bool | None = None) -> None:
        pass

    async def set_break(self, on: bool) -> None:
        pass

    def discard(self, *, to_user: bool, from_user: bool) -> None:
        pass

    def users_changed(self) -> None:
        pass

    def said(self, text: str) -> None:
        pass


@runtime_checkable
class Used(Protocol):
    """What a transport of this kind has besides. `path` is what a user opens or reaches."""

    front: Front
    path: str

    @property
    def users(self) -> Sequence[User]: ...

    @property
    def present(self) -> bool:
        """Whether somebody is there to hear what is written."""
