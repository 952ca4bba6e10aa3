"""Talk: files and pasted blocks, sent at a pace."""

from __future__ import annotations

import asyncio
from pathlib import Path

from ordolex.core.text.charsets import CharsetError, encoded
from ordolex.core.text.escapes import lines_of
from ordolex.core.text.visible import visible_text
from ordolex.io.system.faults import Fault
from ordolex.io.system.files import path_of, read_given
from ordolex.io.work.paced import Progress, read_pace
from ordolex.io.work.paced import send_paced as paced
from ordolex.session.session import LINE_ENDS
from ordolex.session.works import Sending
from ordolex.tui.desks.talk.at import TalkAt
from ordolex.tui.readings import file_reading, pace_reading


async def send_file(at: TalkAt) -> None:
    name = await at.line("Send the file", "", file_reading, "its bytes as they are; Esc goes back")
    if name is None:
        return
    try:
        data = await asyncio.to_thread(_bytes_of, name)
    except Fault as error:
        at.say(str(error), "bad")
        return
    await _send_paced(at, data, Path(name).name)


async def paste(at: TalkAt, text: str) -> None:
    """Pasted lines go out with the link's line end, at a pace."""
    charset, end = at.link.reads_in, LINE_ENDS[at.link.line_end]
    try:
        data = b"".join(encoded(line, charset) + end for line in lines_of(text))
    except CharsetError as error:
        at.refuse(f"Nothing was sent: {error}")
        return
    await _send_paced(at, data, f"{len(lines_of(text))} pasted lines")


async def _send_paced(at: TalkAt, data: bytes, name: str) -> None:
    """Asks for the pace, then sends."""
    runner = at.runner
    least = runner.line.seconds_for(len(data))
    hint = f"{len(data)} bytes take {least:.1f} s at least · 5 a character · 100 a line · echo · prompt > · fast"
    pace = await at.line(f"At which pace? {visible_text(name)}", "fast", pace_reading, hint)
    if pace is None:
        return
    sending = Sending(f"sending {visible_text(name)}", progress=Progress(len(data)))

    def changed(progress: Progress) -> None:
        sending.progress = progress

    done: Progress | None = await at.do(sending, paced(runner, data, read_pace(pace), changed))
    if done is not None:
        at.tell(done.words, good=done.right)


def _bytes_of(name: str) -> bytes:
    return read_given(path_of(name), "the file to be sent")
