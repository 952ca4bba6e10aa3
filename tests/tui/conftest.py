"""What the tests of the interface share."""

from tests.tui.terminal import terminal

__all__ = ["terminal"]
