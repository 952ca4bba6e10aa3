"""How a match is to be done."""

from __future__ import annotations

import re
from collections.abc import Collection, Sequence
from dataclasses import dataclass, replace

from ordolex.core.line.notation import read_line
from ordolex.core.line.settings import LineSettings
from ordolex.core.link.question import Question
from ordolex.core.match.shapes import Shape
from ordolex.core.match.stored import NOT_ANSWERED, Answered
from ordolex.core.sheet import Sheet


@dataclass(frozen=True, slots=True)
class Options:
    """questions  what may be asked; all of it goes out at many settings, so it must be harmless
    first      where to listen first, where a sheet says so
    known      settings to ask at before all others
    answered   what the device answered before, at settings that may have been wrong
    tried      what was silent before: settings as text, and the bytes sent
    shapes     what the device's talk looks like
    talks      a pattern by which a device that cannot be asked is recognised
    data_bits  numbers of data bits that are weighed
    listen_s   how long to listen before anything is asked
    wait_s     how long to wait for each answer
    give_up_s  after which the match ends
    """

    questions: Sequence[Question] = ()
    first: LineSettings | None = None
    known: Sequence[LineSettings] = ()
    answered: Answered = NOT_ANSWERED
    tried: Collection[tuple[str, bytes]] = ()
    shapes: Sequence[Shape] = ()
    talks: str = ""
    data_bits: Sequence[int] = (7, 8)
    listen_s: float = 4.0
    wait_s: float = 0.25
    give_up_s: float = 120.0

    def knowing(self, sheet: Sheet | None, usual: Sequence[LineSettings] = ()) -> Options:
        """The same with what the device's sheet knows, and the settings that are `usual` at this site."""
        if sheet is None:
            return replace(self, known=list(usual))
        own = [read_line(sheet.line.settings).settings] if sheet.line.settings != "any" else []
        shapes = [Shape(f"talks like {sheet.model}", re.compile(sheet.talks.encode()))] if sheet.talks else []
        return replace(
            self,
            first=own[0] if own else None,
            known=list(dict.fromkeys([*own, *usual])),
            talks=sheet.talks,
            shapes=shapes,
        )
