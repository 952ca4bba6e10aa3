"""A check inside a line of text, such as `#01RD3*5A`: put into what is sent, held against what is heard."""

from __future__ import annotations

import re
from dataclasses import dataclass

from ordolex.core.protocols.checks import CHECKS, written

_END = re.compile(rb"[\r\n\x03\x04]*\Z")


class CheckTrouble(ValueError):
    """A line whose check is wrong, or that has none. The message says what was counted."""


@dataclass(frozen=True, slots=True)
class LineCheck:
    """check   its name in CHECKS; `how` it is written
    mark    what stands between the text and its check, such as `*`
    behind  counting begins behind this text, such as `$`; at the line's first byte where it is empty
    """

    check: str
    how: str = "hex digits"
    mark: bytes = b""
    behind: bytes = b""

    @property
    def size(self) -> int:
        """Bytes of the check as it is written."""
        return CHECKS[self.check].size * (2 if self.how == "hex digits" else 1)

    def of(self, text: bytes) -> bytes:
        """The check of a line's text, as it is written."""
        at = text.find(self.behind) + len(self.behind) if self.behind and self.behind in text else 0
        check = CHECKS[self.check]
        return written(check.compute(text[at:]), check.size, self.how)


def with_check(plan: LineCheck, data: bytes) -> bytes:
    """The line with its check before its line end."""
    end = _END.search(data)
    assert end is not None
    text = data[: end.start()]
    return text + plan.mark + plan.of(text) + end[0]


def without_check(plan: LineCheck, data: bytes) -> bytes:
    """The lines of an answer without their checks. Raises CheckTrouble for a check that is wrong or not there."""
    out = []
    for line in data.splitlines(keepends=True):
        end = _END.search(line)
        assert end is not None
        text = line[: end.start()]
        if text:
            text = _checked(plan, text)
        out.append(text + end[0])
    return b"".join(out)


def _checked(plan: LineCheck, text: bytes) -> bytes:
    body, there = text[: -plan.size], text[-plan.size :]
    if len(text) <= plan.size or not body.endswith(plan.mark):
        raise CheckTrouble(f"it has no check ({plan.check}) at its end: the answer is cut, or of another kind")
    body = body[: len(body) - len(plan.mark)]
    wanted = plan.of(body)
    same = there.upper() == wanted if plan.how == "hex digits" else there == wanted
    if not same:
        shown = (
            (there.decode("latin-1"), wanted.decode("latin-1"))
            if plan.how == "hex digits"
            else (there.hex(), wanted.hex())
        )
        raise CheckTrouble(f"its check is {shown[0]}, {shown[1]} was counted ({plan.check}): the answer is spoilt")
    return body
