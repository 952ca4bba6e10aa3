"""The mirror trap: what is seen from which side."""

import pytest

from ordolex.core.wiring.connectors import ENDS, PINS, Gender
from ordolex.core.wiring.faces import rows_seen
from ordolex.draw.faces import draw_faces


def test_a_de9_shows_its_first_pin_where_it_is() -> None:
    """Looking into a DE-9 plug, pin 1 is at the upper left; into a socket, at the upper right; the back is mirrored."""
    assert rows_seen("DE-9", Gender.PLUG, from_wires=False) == (("1", "2", "3", "4", "5"), ("6", "7", "8", "9"))
    assert rows_seen("DE-9", Gender.SOCKET, from_wires=False) == (("5", "4", "3", "2", "1"), ("9", "8", "7", "6"))
    assert rows_seen("DE-9", Gender.PLUG, from_wires=True) == rows_seen("DE-9", Gender.SOCKET, from_wires=False)


@pytest.mark.parametrize("connector", sorted(PINS))
def test_every_connector_has_all_its_pins_on_both_sides(connector: str) -> None:
    for gender in Gender:
        for side in (True, False):
            seen = [pin for row in rows_seen(connector, gender, from_wires=side) for pin in row]
            assert sorted(seen) == sorted(PINS[connector])


@pytest.mark.parametrize("name", sorted(ENDS))
def test_every_end_can_be_drawn_with_its_signals(name: str) -> None:
    words = [text.get_text() for text in draw_faces(ENDS[name]).axes[0].texts]
    assert any("mating side" in word for word in words)
    assert all(any(what.signal in word for word in words) for what in ENDS[name].pins.values())
