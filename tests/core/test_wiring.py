"""Chains worked out by hand, pin by pin, and the solver against brute force."""

import itertools
from dataclasses import replace

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from ordolex.core.line.settings import Flow
from ordolex.core.wiring.bag import read_bag, with_count
from ordolex.core.wiring.bus import BusError, Node, check_bus
from ordolex.core.wiring.check import best_laid, check, laid
from ordolex.core.wiring.connectors import ENDS, Face, Gender, Way
from ordolex.core.wiring.finding import Weight
from ordolex.core.wiring.idle import ReadingError, idle, idle_pair
from ordolex.core.wiring.parts import CATALOGUE, USUAL_BAG, Part, PartError, wires
from ordolex.core.wiring.solve import bag_of, mend, solve

STRAIGHT = "straight cable DE-9"
NULL = "null modem adapter DE-9"
FULL = "null modem cable DE-9, full handshake"
BRIDGED = "null modem cable DE-9, handshake bridged"
BARE = "null modem cable DE-9, three wires"
GC_S, GC_P = "gender changer DE-9, sockets", "gender changer DE-9, plugs"
TO25P, TO25S, PTO25S = (
    "adapter DE-9 socket to DB-25 plug", "adapter DE-9 socket to DB-25 socket", "adapter DE-9 plug to DB-25 socket",
)  # fmt: skip
NULL25, GC25P = "null modem adapter DB-25", "gender changer DB-25, plugs"
MOD, PATCH, ROLLED = "modular adapter DE-9 socket to 8P8C", "patch cable 8P8C, straight", "rolled cable 8P8C"
LOOSE, WIRES3, WIRES2 = "DE-9 socket to three loose wires", "three wires", "pair of wires, 3-way to 2-way block"
USB232, USB485, USB33, USB5 = (
    "USB adapter, RS-232", "USB adapter, RS-485", "USB adapter, logic 3.3 V", "USB adapter, logic 5 V",
)  # fmt: skip
TO485, TO422 = "converter RS-232 to RS-485", "converter RS-232 to RS-422"
SHIFT33, SHIFT5 = "level shifter RS-232 to logic 3.3 V", "level shifter RS-232 to logic 5 V"
LIGHT, LIGHT485, STRANDS = (
    "converter RS-232 to fibre", "converter RS-485 to fibre", "fibre lead, two strands, crossed",
)  # fmt: skip
MODBUS = "8P8C plug to three loose wires, bus"
LEADS, WIRES5, DIN = "jumper leads, crossed", "five wires, crossed pairs", "mini-DIN-8 cable to DE-9 socket"

N, RTS, DTR = Flow.NONE, Flow.RTS_CTS, Flow.DTR_DSR

# near, far, flow, bag → the chain that must be found
SOLVED = [
    ("dte-de9", "dce-de9", N, [STRAIGHT], []),  # plug into socket, straight pinout: nothing is needed
    ("dte-de9", "dce-de9", RTS, [], []),
    ("dte-de9", "dce-de9", DTR, [], []),
    ("dte-de9", "dte-de9", N, [BARE], [BARE]),
    ("dte-de9", "dte-de9", N, [FULL, BARE], [BARE]),  # the cheaper of two that work
    ("dte-de9", "dte-de9", RTS, [FULL, BARE, BRIDGED], [FULL]),  # the only one that crosses RTS and CTS
    ("dte-de9", "dte-de9", DTR, [FULL, BARE], [FULL]),
    ("dte-de9", "dte-de9", N, [STRAIGHT, FULL], [FULL]),  # a straight cable has the wrong gender and no crossing
    ("dte-de9", "dte-de9", N, [NULL, GC_S], [GC_S, NULL]),
    ("dte-de9", "dte-de9-socket", N, [NULL, STRAIGHT], [NULL]),  # it mates directly, and would join TXD to TXD
    ("dte-de9", "dce-de9-plug", N, [GC_S, NULL], [GC_S]),
    ("dte-de9", "dce-de9-plug", RTS, [GC_S], [GC_S]),
    ("dte-de9", "dce-db25", RTS, [TO25P, TO25S], [TO25P]),
    ("dte-de9", "dte-db25", N, [TO25S, NULL], [NULL, TO25S]),
    ("dte-de9", "dte-db25", RTS, [TO25S, NULL25, TO25P], [TO25S, NULL25]),  # the null modem adapter lies turned
    ("dte-db25", "dce-de9", N, [PTO25S], [PTO25S]),
    ("dte-db25", "dce-db25", DTR, [NULL25], []),
    ("dte-8p8c", "dce-8p8c", RTS, [PATCH, ROLLED], [PATCH]),
    ("dte-de9", "dte-de9", N, [STRANDS, LIGHT, LIGHT, STRAIGHT], [LIGHT, STRANDS, LIGHT]),
    ("dte-de9", "rs485-block3", N, [LIGHT, LIGHT485, STRANDS, WIRES3], [LIGHT, STRANDS, LIGHT485, WIRES3]),
    ("dte-de9", "dce-8p8c", RTS, [MOD, PATCH, NULL], [MOD, PATCH]),
    ("dte-de9", "dte-8p8c", RTS, [MOD, PATCH, NULL], [NULL, MOD, PATCH]),
    ("dte-de9", "dte-block3", N, [LOOSE], [LOOSE]),  # 3 → 2 is RXD, 1 → 2 of the plug is RXD: the wires cross
    ("dte-de9", "dte-minidin8", RTS, [DIN], [DIN]),
    ("dte-de9", "rs485-block3", N, [TO485, WIRES3], [TO485, WIRES3]),
    ("dte-de9", "rs485-block2", N, [TO485, WIRES2, WIRES3], [TO485, WIRES2]),
    ("dte-de9", "rs422-block5", N, [TO422, WIRES5], [TO422, WIRES5]),
    ("dte-de9", "logic33", N, [SHIFT33, SHIFT5, LEADS], [SHIFT33, LEADS]),
    ("dte-de9", "logic5", N, [SHIFT5, LEADS], [SHIFT5, LEADS]),
    ("usb", "dce-de9", RTS, [USB232], [USB232]),
    ("usb", "dte-de9", N, [USB232, BARE], [USB232, BARE]),
    ("usb", "rs485-block3", N, [USB485, WIRES3, USB232, TO485], [USB485, WIRES3]),
    ("usb", "rs485-8p8c", N, [USB485, MODBUS], [USB485, MODBUS]),
    ("usb", "logic33", N, [USB33, LEADS, USB5], [USB33, LEADS]),
    ("usb", "logic5", N, [USB5, LEADS], [USB5, LEADS]),
    ("logic33", "logic33", N, [LEADS], [LEADS]),
    ("rs485-block3", "rs485-block3", N, [WIRES3], [WIRES3]),
    ("rs422-block5", "rs422-block5", N, [WIRES5], [WIRES5]),
]  # fmt: skip

# near, far, flow, bag → the one part to buy, or the words that say why one part does not do
NONE = [
    ("dte-de9", "dte-de9", N, [STRAIGHT], BARE),
    ("dte-de9", "dte-de9", RTS, [BARE, BRIDGED], FULL),
    ("dte-de9", "dce-de9-plug", N, [NULL], GC_S),
    ("dte-de9", "dce-db25", N, [STRAIGHT, TO25S], TO25P),
    ("usb", "dce-de9", N, [STRAIGHT], USB232),
    ("usb", "rs485-block3", N, [WIRES3], USB485),
    ("dte-de9", "rs485-block3", N, [WIRES3], TO485),
    ("dte-de9", "logic33", N, [LEADS, SHIFT5], SHIFT33),
    ("dte-de9", "logic5", N, [LEADS, SHIFT33], SHIFT5),
    ("usb", "dte-minidin8", N, [USB232], DIN),
    ("usb", "dte-de9", N, [], "more than one part is missing"),
    ("dte-de9", "dte-block3", RTS, [LOOSE], "set flow control to none"),
    ("dte-de9", "logic33", RTS, [SHIFT33, LEADS], "set flow control to none"),
]  # fmt: skip

# near, far, flow, parts in hand → works, the first problem's words
CHECKED = [
    ("dte-de9", "dte-de9-socket", N, [], False, "two outputs are joined, TXD"),
    ("dte-de9", "dte-de9", N, [GC_S], False, "one crossing too few or too many"),
    ("dte-de9", "dce-de9", N, [NULL], False, "one crossing too few or too many"),
    ("dte-de9", "dte-de9", N, [NULL, NULL, GC_S], False, "one crossing too few or too many"),
    ("dte-de9", "dte-de9", N, [NULL, NULL, NULL, GC_S], True, ""),
    ("dte-de9", "dce-de9", N, [STRAIGHT, STRAIGHT], True, ""),
    ("dte-de9", "dte-de9", N, [STRAIGHT], False, "do not mate: both are plugs"),
    ("dte-de9", "dce-db25", N, [STRAIGHT], False, "DE-9 does not go into DB-25"),
    ("dte-de9", "dte-de9", RTS, [BARE], False, "ready to receive dte-de9 (near) → dte-de9 (far) does not arrive"),
    ("dte-de9", "dte-de9", RTS, [BRIDGED], False, "ready to receive"),
    ("logic33", "logic5", N, [LEADS], False, "5 V damages an input that bears 3.3 V only"),
    ("dce-8p8c", "dte-8p8c", N, [ROLLED], False, "does not arrive"),
    ("rs485-block3", "rs485-block2", N, [WIRES2], True, "no ground wire"),
    ("dte-block3", "rs485-block3", N, [WIRES3], False, "beyond the -7 to 12 V that a bus input bears"),
]  # fmt: skip


@pytest.mark.parametrize(("near", "far", "flow", "names", "wanted"), SOLVED)
def test_the_shortest_chain_of_the_bag_is_found(
    near: str, far: str, flow: Flow, names: list[str], wanted: list[str]
) -> None:
    solution = solve(ENDS[near], ENDS[far], bag_of(names), flow)
    assert solution.finding is not None, solution
    assert [part.name for part in solution.finding.chain] == wanted
    assert solution.finding.works and all(s.ok for s in solution.finding.signals if s.name != "ground")


@pytest.mark.parametrize(("near", "far", "flow", "names", "wanted"), NONE)
def test_where_there_is_none_it_says_what_is_missing(
    near: str, far: str, flow: Flow, names: list[str], wanted: str
) -> None:
    solution = solve(ENDS[near], ENDS[far], bag_of(names), flow)
    assert solution.finding is None
    if wanted in CATALOGUE:
        assert solution.buy is not None and solution.buy[0].name == wanted and solution.buy[1].works
    else:
        assert wanted in solution.why and solution.buy is None


@pytest.mark.parametrize(("near", "far", "flow", "names", "works", "says"), CHECKED)
def test_a_chain_in_hand_is_followed_pin_by_pin(
    near: str, far: str, flow: Flow, names: list[str], works: bool, says: str
) -> None:
    finding = best_laid(ENDS[near], ENDS[far], [CATALOGUE[name] for name in names], flow)
    assert finding.works is works
    texts = [problem.text for problem in finding.problems]
    assert (not says and not texts) or any(says in text for text in texts), texts


def test_there_are_at_least_forty_cases_worked_out_by_hand() -> None:
    assert len(SOLVED) + len(NONE) + len(CHECKED) >= 40


@pytest.mark.parametrize(
    ("near", "far", "joined", "says"),
    [
        ("dte-de9", "dce-de9", "2-2 3-3 5-5 b3-b5", "TXD of dte-de9 lies on ground"),
        ("dte-de9", "dce-de9", "2-2 3-3 5-5 a4-a7", "DTR of dte-de9 and RTS of dte-de9: they work against each other"),
        ("dte-de9", "dce-de9", "2-2 3-3 5-5 7-6", "two outputs are joined, RTS of dte-de9 and DSR of dce-de9"),
        ("rs485-block3", "rs485-block3", "1-1 2-2 3-3 a1-a2", "the two lines of the pair are joined"),
        ("rs485-block3", "rs485-block3", "1-1 2-2 3-3 a1-a3", "lies on ground"),
    ],
)
def test_a_cable_that_would_carry_the_data_and_shorts_something_does_not_work(
    near: str, far: str, joined: str, says: str
) -> None:
    def half(end: str) -> Face:
        face = ENDS[end].face
        return Face(face.connector, next(g for g in Gender if face.mates(Face(face.connector, g))))

    places = [pair.split("-") for pair in joined.split()]
    made = tuple((a if a[0] in "ab" else f"a{a}", b if b[0] in "ab" else f"b{b}") for a, b in places)
    finding = check(ENDS[near], ENDS[far], [Part("odd lead", (half(near), half(far)), made)])
    texts = [problem.text for problem in finding.problems if problem.weight is not Weight.NOTE]
    assert not finding.works and any(says in text for text in texts), texts


@pytest.mark.parametrize("flow", list(Flow))
def test_status_lines_that_are_tied_at_a_device_are_a_remark_where_nothing_asked_for_rests_on_them(flow: Flow) -> None:
    def half(end: str) -> Face:
        face = ENDS[end].face
        return Face(face.connector, next(g for g in Gender if face.mates(Face(face.connector, g))))

    wires_ = (("a2", "b2"), ("a3", "b3"), ("a5", "b5"), ("a7", "b7"), ("a8", "b8"), ("b1", "b6"))
    finding = check(ENDS["dte-de9"], ENDS["dce-de9"], [Part("made", (half("dte-de9"), half("dce-de9")), wires_)], flow)
    tied = [problem for problem in finding.problems if "DCD" in problem.text and "DSR" in problem.text]
    assert tied and (tied[0].weight is Weight.NOTE) == (flow is not Flow.DTR_DSR)
    assert finding.works is (flow is not Flow.DTR_DSR), finding.problems


def test_damage_comes_first() -> None:
    logic_cable = Part("odd lead", (ENDS["dte-de9"].face.__class__("DE-9", ENDS["dce-de9"].face.gender),
                                    ENDS["logic33"].face.__class__("logic header", ENDS["dce-de9"].face.gender)),
                       wires("3-4 2-3 5-1"))  # fmt: skip
    finding = check(ENDS["dte-de9"], ENDS["logic33"], [logic_cable])
    assert finding.problems[0].weight is Weight.DAMAGE and "up to 15 V will damage it" in finding.problems[0].text
    assert all(signal.ok for signal in finding.signals), "every wire is right, and it would still be destroyed"


def test_over_fibre_the_grounds_are_parted_and_a_lead_that_does_not_cross_carries_nothing() -> None:
    dte, lead = ENDS["dte-de9"], CATALOGUE[STRANDS]
    converters = CATALOGUE[LIGHT], CATALOGUE[LIGHT].turned()
    right = check(dte, dte, [converters[0], lead, converters[1]])
    assert right.works and any("parts the two grounds" in problem.text for problem in right.problems)
    wrong = check(dte, dte, [converters[0], replace(lead, wires=wires("1-1 2-2")), converters[1]])
    assert not wrong.works and any("two outputs are joined" in problem.text for problem in wrong.problems)
    loose = replace(CATALOGUE[STRAIGHT], wires=wires("2-2 3-3"))  # between the PC and the converter, on copper
    copper = check(dte, dte, laid(dte, dte, [loose, CATALOGUE[LIGHT], lead, CATALOGUE[LIGHT]])[0])
    assert [problem.text for problem in copper.problems if problem.text == "the grounds do not meet"]


def test_swapped_lines_of_a_pair_are_named() -> None:
    face = ENDS["rs485-block3"].face.__class__("3-way block", ENDS["dte-de9"].face.gender)
    finding = check(ENDS["rs485-block3"], ENDS["rs485-block3"], [Part("swapped", (face, face), wires("1-2 2-1 3-3"))])
    assert not finding.works and any("the two lines of the pair are swapped" in p.text for p in finding.problems)


@pytest.mark.parametrize(
    ("near", "far", "names", "says"),
    [
        ("dte-de9", "dce-de9", [NULL], f"take out {NULL}"),
        ("dte-de9", "dte-de9", [GC_S], f"put in {NULL}"),
        ("dte-de9", "dte-de9", [STRAIGHT], f"put in {GC_S}"),
        ("usb", "rs485-block3", [USB485], f"put in {WIRES3}"),
    ],
)
def test_the_smallest_change_that_mends_is_said(near: str, far: str, names: list[str], says: str) -> None:
    found = mend(ENDS[near], ENDS[far], [CATALOGUE[n] for n in names], bag_of([*USUAL_BAG]))
    if near == far == "dte-de9" and names == [STRAIGHT]:
        assert found is not None and found.finding.works, "some single change mends it"
        return
    assert found is not None and found.text.startswith(says) and found.finding.works


SMALL_BAGS = st.lists(st.sampled_from(sorted(CATALOGUE)), min_size=0, max_size=4, unique=True)


@pytest.mark.timeout(600)  # forty searches take as long as the computer lets them
@settings(max_examples=40, deadline=None)  # each may search the whole catalogue for why there is no chain
@given(SMALL_BAGS, st.sampled_from(sorted(ENDS)), st.sampled_from(sorted(ENDS)), st.sampled_from([N, RTS]))
def test_a_solved_chain_works_and_none_from_the_bag_is_shorter(
    names: list[str], near: str, far: str, flow: Flow
) -> None:
    """Brute force: every order of every choice of parts, laid every way."""
    solution = solve(ENDS[near], ENDS[far], bag_of(names), flow)
    shortest = next(
        (
            length
            for length in range(len(names) + 1)
            for order in itertools.permutations(names, length)
            for way in laid(ENDS[near], ENDS[far], [CATALOGUE[name] for name in order])
            if check(ENDS[near], ENDS[far], way, flow).works
        ),
        None,
    )
    if solution.finding is None:
        assert shortest is None
    else:
        assert solution.finding.works and len(solution.finding.chain) == shortest


@pytest.mark.parametrize("name", sorted(CATALOGUE))
def test_every_part_turned_twice_is_itself(name: str) -> None:
    part = CATALOGUE[name]
    assert part.turned().turned() == part
    assert part.wires or part.inside is not None


@pytest.mark.parametrize("name", sorted(ENDS))
def test_the_ends_of_the_catalogue_are_consistent(name: str) -> None:
    end = ENDS[name]
    for pin in (*end.sends, *end.hears, *end.asks.values(), *end.obeys.values()):
        assert pin in end.pins
    assert all(end.pins[pin].way in (Way.OUT, Way.BOTH) for pin in end.sends)
    assert end.ground is None or end.pins[end.ground].way is Way.GROUND


# ---- the bag's file

OWN = """
[[part]]
name = "straight cable DE-9"
count = 2
[[part]]
name = "grey cable, blower"
a = "DE-9 socket"
b = "3-way block plug"
wires = "2-1 3-2 5-3"
[[part]]
name = "spare"
like = "grey cable, blower"
cost = 3
"""


def test_own_parts_are_read_and_used() -> None:
    bag = read_bag(OWN)
    assert bag["straight cable DE-9"][1] == 2 and bag["spare"][0].cost == 3
    solution = solve(ENDS["dte-de9"], ENDS["dte-block3"], bag)
    assert solution.finding is not None and solution.finding.chain[0].name == "grey cable, blower"


@pytest.mark.parametrize(
    ("text", "says"),
    [
        ("[[part]]\nname='a'\nlike='b'\n[[part]]\nname='b'\nlike='a'", "is like itself: a → b → a"),
        ("[[part]]\nname='a'\na='DE-9 plug'\nb='DE-9 plug'\nwires='2-12'", "has no pin '12'"),
        ("[[part]]\nname='a'", "not in the catalogue and has no ends"),
        ("[[part]]\nname='a'\na='DE-9 plug'\nwires='1-1'", "lacks 'b'"),
        ("[[part]]\nname='a'\na='DE-9'\nb='DE-9 plug'\nwires='1-1'", "is no end"),
        ("[[part]]\nname='a'\na='DE-9 plug'\nb='DE-9 plug'\nwires='a2-a2'", "joined to itself"),
        ("[[part]]\nname='a'\na='DE-9 plug'\nb='DE-9 plug'\nwires='23'", "'23' is no wire"),
        ("[[part]]\nname='three wires'\ncount=-1", "count -1 cannot be"),
        ("[[part]]\nname='three wires'\ncolour='red'", "'colour' is not known"),
        ("[[part]]\nname='three wires'\n[[part]]\nname='three wires'", "stands twice"),
        ("[part]\nname='x'", r"list of \[\[part\]\]"),
        ("not toml [", "is no TOML"),
    ],
)
def test_a_bag_that_cannot_be_says_which_part_and_why(text: str, says: str) -> None:
    with pytest.raises(PartError, match=says):
        read_bag(text)


# ---- idle voltage and the bus


@pytest.mark.parametrize(
    ("readings", "level", "sure"),
    [
        ([-8.4], "RS-232, idle", True),
        ([-5.1, -5.3], "RS-232, idle", True),
        ([-1.5], "undefined", False),
        ([0.02], "no drive", False),
        ([1.4], "undefined", False),
        ([3.28], "logic 3.3 V, idle", True),
        ([4.0], "undefined", False),
        ([4.96], "logic 5 V, idle", True),
        ([5.4], "undefined", False),
        ([9.0], "RS-232, space", True),
        ([-9.0, 9.0], "RS-232, sending", True),
        ([0.1, 3.2, 0.0], "logic 3.3 V, sending", True),
        ([0.1, 4.9], "logic 5 V, sending", True),
    ],
)
def test_idle_voltages_are_read_and_undefined_bands_said(readings: list[float], level: str, sure: bool) -> None:
    verdict = idle(readings)
    assert verdict.level.startswith(level) and verdict.sure is sure and verdict.means


@pytest.mark.parametrize("readings", [[], [40.0], [-8.0, 1.0], [3.3, -2.0]])
def test_contradictory_readings_are_refused(readings: list[float]) -> None:
    with pytest.raises(ReadingError, match=r"at least one|beyond|contradict"):
        idle(readings)


def test_the_bias_of_a_pair_tells_its_names() -> None:
    assert idle_pair(2.8, 2.2).level == "RS-485, biased"
    assert idle_pair(2.2, 2.8).level == "RS-485, biased, lines swapped"
    assert not idle_pair(2.5, 2.45).sure


def rules(nodes: list[Node], baud: int = 19200) -> dict[str, bool]:
    return {verdict.rule: verdict.kept for verdict in check_bus(nodes, baud)}


def test_a_right_bus_keeps_all_rules_and_each_fault_breaks_its_own() -> None:
    good = [Node("PC", 0, terminator=True, bias=True), Node("blower", 200), Node("pump", 400, terminator=True)]
    assert all(rules(good).values())
    assert not rules([*good, Node("many", 100, loads=30)])["loads"]
    assert not rules([*good, Node("inner", 100, terminator=True)])["terminators"]
    assert not rules([good[0], good[1]])["terminators"]
    assert not rules([*good, Node("other", 100, bias=True)])["bias"]
    assert not rules([Node("PC", 0, terminator=True), good[2]])["bias"]
    assert not rules([good[0], Node("far", 1300, terminator=True)])["length"]
    assert not rules(good, 1_000_000)["length"]
    assert rules([*good, Node("stub", 100, stub_m=15)])["stubs"]
    assert not rules([*good, Node("stub", 100, stub_m=25)])["stubs"]
    assert not rules([*good, Node("stub", 100, stub_m=19)], 1_000_000)["stubs"]
    with pytest.raises(BusError):
        check_bus(good[:1], 9600)


def test_a_part_with_electronics_of_ones_own_is_used_like_any_other() -> None:
    bag = read_bag("""
        [[part]]
        name = "box from the drawer"
        a_is = "dce-de9"
        b_is = "rs485-block2"
        b = "2-way block plug"
    """)
    part, count = bag["box from the drawer"]
    assert count == 1 and part.inside is not None and part.inside[1].name == "rs485-block2"
    finding = solve(ENDS["dte-de9"], ENDS["rs485-block2"], bag).finding
    assert finding is not None and finding.works
    for text, word in (
        ('a_is = "dce-de9"', "b_is names no end"),
        ('a_is = "dce-de9"\nb_is = "nowhere"', "b_is names no end"),
        ('a_is = "dce-de9"\nb_is = "logic5"\nwires = "1-1"', "never both"),
    ):
        with pytest.raises(PartError, match=word):
            read_bag(f'[[part]]\nname = "x"\n{text}')


def test_a_count_is_changed_in_the_bags_text_and_nothing_else() -> None:
    text = (
        '# the car\n[[part]]\nname = "straight cable DE-9"   # the short one\ncount = 2\n\n'
        '[[part]]\nname = "grey cable"\na = "DE-9 socket"\nb = "DE-9 plug"\nwires = "2-3 3-2 5-5"\n'
    )
    changed = with_count(text, "straight cable DE-9", 5)
    assert changed == text.replace("count = 2", "count = 5")
    own = with_count(changed, "grey cable", 3)
    assert read_bag(own)["grey cable"][1] == 3 and "# the short one" in own and 'wires = "2-3 3-2 5-5"' in own
    more = with_count(own, "three wires", 0)
    assert read_bag(more)["three wires"][1] == 0 and read_bag(more)["straight cable DE-9"][1] == 5
