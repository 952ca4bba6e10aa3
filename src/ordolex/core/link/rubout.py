"""Which of Backspace and Delete a device takes to rub out a character, as a sequence."""

from __future__ import annotations

from ordolex.core.link.question import Question
from ordolex.core.link.steps import Steps, asked

_WAIT_S = 0.6


def probe_rubout() -> Steps[tuple[str, str]]:
    """(`DEL`, `BS` or nothing, and in words how it is known). One letter is typed and rubbed out again; no line end is
    sent."""
    for name, code in (("DEL", b"\x7f"), ("BS", b"\x08")):
        letter = yield from asked(Question(b"x", timeout_s=_WAIT_S))
        if b"x" not in letter.data:
            yield from asked(Question(b"\x08", timeout_s=_WAIT_S))
            return "", "no echo comes, so nothing can be seen of it; an x was typed and BS sent behind it: look for it"
        answer = yield from asked(Question(code, timeout_s=_WAIT_S))
        if b"\x08 \x08" in answer.data or b"\x1b[D" in answer.data or answer.data == b"\x08":
            if name == "BS":  # the letter that DEL did not rub out is still there
                yield from asked(Question(code, timeout_s=_WAIT_S))
            return name, f"{name} rubs out: the device answers {answer.data.hex(' ')}"
    # neither: take the letters back as well as can be
    yield from asked(Question(b"\x15", timeout_s=_WAIT_S))
    return "", "neither DEL nor BS rubs out here; Ctrl+U was sent, which clears the line on many devices"
