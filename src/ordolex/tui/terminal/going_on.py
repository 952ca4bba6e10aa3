"""The program is stopped by a signal, from a shell or by an administrator, and goes on where it was."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any


def going_on(driver: Any) -> Any:
    """The framework's driver, which takes these signals between two turns of the loop, and its terminal once."""

    class GoingOn(driver):  # type: ignore[misc]
        _stopped = _keeps_keys = False
        """_stopped     it has let the terminal go, until it goes on
        _keeps_keys  what was pressed meanwhile is still read: the terminal is let go only to be taken again"""

        def _sigtstp_application(self, *signal_and_frame: object) -> None:
            self._at_the_next_turn(self._stop)

        def _sigcont_application(self, *signal_and_frame: object) -> None:
            self._at_the_next_turn(self._go_on)

        def _at_the_next_turn(self, do: Callable[[], None]) -> None:
            """Of the loop: a signal may come while something is being written, and who writes in it then waits for
            himself. Once the loop has ended, the terminal is ours no more."""
            if not self._loop.is_closed():
                self._loop.call_soon_threadsafe(do)

        def _stop(self) -> None:
            self._stopped = True
            super()._sigtstp_application()

        def _go_on(self) -> None:
            """Whoever stops it by SIGSTOP does not ask: the terminal is still ours then, and taken a second time it
            would have two readers, one of which keeps the program from ending."""
            ours = self._key_thread is not None and self._key_thread.is_alive()
            if ours:
                self._keeps_keys = True
                self.suspend_application_mode()
                self._keeps_keys = False
            if ours or self._stopped:
                self._stopped = False
                super()._sigcont_application()
                self._app.refresh(layout=True)

        def disable_input(self) -> None:
            if not self._keeps_keys:
                super().disable_input()
                return
            self.exit_event.set()
            self._key_thread.join()
            self.exit_event.clear()

    return GoingOn
