"""The transport that is held now, which parts of a runner share."""

from __future__ import annotations

from dataclasses import dataclass

from ordolex.io.system.faults import NobodyThere
from ordolex.io.transport.base import Transport


@dataclass(slots=True)
class Held:
    transport: Transport | None = None

    def required(self) -> Transport:
        """Raises PortLost where none is held."""
        if self.transport is None:
            raise NobodyThere("the port is not open", "open it in Find first")
        return self.transport
