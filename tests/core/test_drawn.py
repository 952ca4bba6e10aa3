"""A chain drawn in characters: what must stand where, and that the drawings say what the check says."""

from __future__ import annotations

from collections.abc import Sequence

import pytest

from ordolex.core.wiring.check import best_laid
from ordolex.core.wiring.connectors import ENDS, End, Face
from ordolex.core.wiring.drawn import Tone, drawing, pin_table, pins_at, strands
from ordolex.core.wiring.parts import CATALOGUE, USUAL_BAG, Part
from ordolex.core.wiring.solve import bag_of, solve
from ordolex.draw.chain import draw_chain

BAG = bag_of([*USUAL_BAG, *USUAL_BAG])


def drawn(near: str, far: str, *names: str, width: int = 96) -> list[str]:
    finding = best_laid(ENDS[near], ENDS[far], [CATALOGUE[name] for name in names])
    assert finding is not None
    return ["".join(text for text, _ in row) for row in drawing(ENDS[near], ENDS[far], finding, width)]


def test_a_crossed_cable_has_its_contacts_named_and_its_wires_crossing() -> None:
    lines = drawn("dte-de9", "dte-de9", "null modem cable DE-9, three wires")
    by_pin = {line.split("│")[1].strip(): line for line in lines if line.count("│") == 4}
    assert by_pin["2"].startswith("RXD") and by_pin["2"].rstrip().endswith("RXD✓")
    assert by_pin["3"].rstrip().endswith("TXD✓") and by_pin["5"].rstrip().endswith("GND✓")
    assert set(by_pin["7"].split("│")[2]) == {" "}, "nothing is joined there"
    gap = by_pin["2"].split("│")[2], by_pin["3"].split("│")[2]
    assert " " not in gap[0][:2] + gap[0][-2:] + gap[1][:2] + gap[1][-2:], "both wires run from contact to contact"


@pytest.mark.parametrize(
    ("near", "far"),
    [
        ("usb", "dte-de9"),
        ("usb", "rs485-block2"),
        ("dte-de9", "dce-db25"),
        ("usb", "dte-8p8c"),
        ("dte-db25", "dte-db25"),
    ],
)
def test_whatever_is_solved_fits_or_is_left_to_the_list(near: str, far: str) -> None:
    finding = solve(ENDS[near], ENDS[far], BAG).finding
    if finding is None:
        return
    for width in (50, 88, 140):
        lines = drawing(ENDS[near], ENDS[far], finding, width)
        assert all(sum(len(text) for text, _ in line) <= width for line in lines)
    joints = range(len(finding.chain) + 1)
    shown = "".join(text for line in lines for text, _ in line)
    assert not lines or all(
        f"{pin:>2}" in shown for at in joints for pin in pins_at(at, ENDS[near], ENDS[far], finding.chain)
    )


def test_what_does_not_arrive_is_told_by_glyph_and_tone() -> None:
    names = ("null modem cable DE-9, full handshake", "gender changer DE-9, plugs")
    finding = best_laid(ENDS["dte-de9"], ENDS["dce-de9"], [CATALOGUE[name] for name in names])
    assert finding is not None and not finding.works
    bad = {(strand.at, strand.to) for strand in strands(finding) if strand.tone is Tone.BAD}
    assert ((0, "3"), (1, "2")) in bad or ((1, "2"), (0, "3")) in bad
    assert any("✗" in line for line in drawn("dte-de9", "dce-de9", *names))


def test_the_table_has_every_wire_once() -> None:
    part = CATALOGUE["null modem cable DE-9, handshake bridged"]
    table = pin_table(part)
    assert len(table) == len(part.wires)
    assert ("2", "3") in table and ("7 and 8", "bridged at the near side") in table


@pytest.mark.parametrize("near", ["usb", "dte-de9", "dte-8p8c", "rs422-block5"])
def test_any_part_in_hand_is_drawn_also_where_it_does_not_fit(near: str) -> None:
    ends = ENDS[near], ENDS["dce-db25"]
    for number, part in enumerate(CATALOGUE.values()):
        for chain in ([part], [part, CATALOGUE["straight cable DE-9"]]):
            finding = best_laid(*ends, chain)
            if finding is None:
                continue
            lines = drawing(*ends, finding, 120)
            shown = "".join(text for line in lines for text, _ in line)
            mated = [near_face.mates(far_face) for near_face, far_face in joints(*ends, finding.chain)]
            assert ("✗ " in shown) == (not all(mated)) or not finding.works
            if number % 8 == 0:
                assert draw_chain(*ends, finding).axes


def joints(near: End, far: End, chain: Sequence[Part]) -> list[tuple[Face, Face]]:
    """The faces that meet at each joint."""
    faces = [near.face, *(face for part in chain for face in part.faces), far.face]
    return list(zip(faces[::2], faces[1::2], strict=True))
