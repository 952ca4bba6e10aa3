"""Talk: files and pasted blocks, sent at a pace."""

from __future__ import annotations

import asyncio
from pathlib import Path

from textual import work

from ordolex.core.record.items import LinkRecord
from ordolex.core.text.charsets import CHARSETS
from ordolex.core.text.visible import visible_text
from ordolex.io.link.runner import LinkRunner
from ordolex.io.work.paced import Progress, read_pace, send_paced
from ordolex.tui.readings import (
    file_reading,
    pace_reading,
)
from ordolex.tui.session import LINE_ENDS
from ordolex.tui.widgets.entry_line import EntryLine
from ordolex.tui.widgets.key_pad import KeyPad
from ordolex.tui.works import Sending, Works


class Files(Works):
    """The part of the desk that sends much."""

    @work
    async def action_send_file(self) -> None:
        opened = self._open_link()
        if opened is None:
            return
        link, runner = opened
        name = await self._line("Send the file", "", file_reading, "its bytes as they are; Esc goes back")
        if name is None:
            return
        try:
            data = await asyncio.to_thread(_bytes_of, name)
        except OSError as error:
            self.say(f"{name} cannot be read: {error.strerror}", "bad")
            return
        await self.send_paced(link, runner, data, Path(name).name)

    def on_entry_line_block(self, event: EntryLine.Block) -> None:
        self._paste(event.text)

    def on_key_pad_pasted(self, event: KeyPad.Pasted) -> None:
        self._paste(event.text)

    @work
    async def _paste(self, text: str) -> None:
        """Pasted lines go out with the link's line end, at a pace."""
        opened = self._open_link()
        if opened is None:
            return
        link, runner = opened
        codec, end = CHARSETS[self.session.talk(link).screen.charset], LINE_ENDS[link.line_end]
        data = b"".join(line.encode(codec, "replace") + end for line in text.splitlines())
        await self.send_paced(link, runner, data, f"{len(text.splitlines())} pasted lines")

    async def send_paced(self, link: LinkRecord, runner: LinkRunner, data: bytes, name: str) -> None:
        """Asks for the pace, then sends."""
        least = runner.line.seconds_for(len(data))
        hint = f"{len(data)} bytes take {least:.1f} s at least · 5 a character · 100 a line · echo · prompt > · fast"
        pace = await self._line(f"At which pace? {visible_text(name)}", "fast", pace_reading, hint)
        if pace is None:
            return
        sending = Sending(f"sending {visible_text(name)}", progress=Progress(len(data)))

        def changed(progress: Progress) -> None:
            sending.progress = progress

        done: Progress | None = await self._do(link, sending, send_paced(runner, data, read_pace(pace), changed))
        if done is not None:
            self._tell(link, done.words, good=done.right)


def _bytes_of(name: str) -> bytes:
    return Path(name).expanduser().read_bytes()
