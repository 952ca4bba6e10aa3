"""What characters on a serial line look like: weights for a character by the one before it, for text and binary data.

A character of which only some bits are known gets the sum over all that fit, from a table by known bits and value.
"""

from __future__ import annotations

from functools import cache

import numpy as np
from numpy.typing import NDArray

TEXT, BINARY, UPPER_HALF, ACCENTED, ANY = range(5)
"""Kinds of content: readable ASCII; registers and counters; text in an alphabet of its own, whose letters all lie above
127; text most of whose letters are ASCII and some above; and each character by itself one of those."""
KINDS = (TEXT, BINARY, UPPER_HALF, ACCENTED)
"""Those that are weighed against each other."""
EIGHT_BITS = (UPPER_HALF, ACCENTED)
"""Those that take eight data bits."""
_OF_ANY = {TEXT: 0.5, ACCENTED: 0.15, BINARY: 0.2, UPPER_HALF: 0.1}
_FLAT = 0.05

_LETTERS = "etaoinsrhldcumfpgwybvkxjqz"
_STRAY = 0.004  # share of characters in a text that are none of those below


def _text() -> NDArray[np.float64]:
    """Readable ASCII as devices send it: digits and capitals weigh more than in prose."""
    weight = np.zeros(256)
    for rank, letter in enumerate(_LETTERS):
        share = 1.0 / (rank + 3)
        weight[ord(letter)] += 3.0 * share
        weight[ord(letter.upper())] += 2.2 * share
    for digit in b"0123456789":
        weight[digit] += 0.9
    weight[ord("0")] += 0.6
    weight[ord(" ")] += 2.2
    for symbol, share in zip(b".,:;-+=/*$%#<>?!()[]_'\"&@", (1.3, 1.4, 0.7, 0.15, 0.5, 0.25, 0.5, 0.25, 0.35, 0.35)
                             + (0.15,) * 15, strict=False):  # fmt: skip
        weight[symbol] += share
    weight[0x0D] += 0.7
    weight[0x0A] += 0.8
    weight /= weight.sum()
    stray = np.full(256, 1.0 / 256)
    stray[32:127] *= 3
    mixed: NDArray[np.float64] = (1 - _STRAY) * weight + _STRAY * stray / stray.sum()
    return mixed


def _binary() -> NDArray[np.float64]:
    """Registers, counters, flags: small numbers are frequent, and so are all zeros and all ones."""
    weight = np.full(256, 1.0 / 256)
    weight[0] += 0.10
    weight[1:16] += 0.006
    weight[16:64] += 0.001
    weight[255] += 0.01
    out: NDArray[np.float64] = weight / weight.sum()
    return out


_LOWER, _UPPER, _DIGIT, _SPACE, _CR, _LF, _MARK = range(1, 8)
CLASSES = 8
"""Kinds of characters, by which the next one is judged; 0 stands for all others, and for one that is not known."""
NO_CLASS = 0
LINE_BEGINS = _LF
"""What a character is judged by that comes after a rest of the line."""


def _classes() -> NDArray[np.int8]:
    kind = np.zeros(256, np.int8)
    kind[33:127] = _MARK
    kind[ord("a") : ord("z") + 1] = _LOWER
    kind[ord("A") : ord("Z") + 1] = _UPPER
    kind[ord("0") : ord("9") + 1] = _DIGIT
    kind[ord(" ")], kind[0x0D], kind[0x0A] = _SPACE, _CR, _LF
    return kind


CLASS_OF = _classes()
_FOLLOWS = np.array(
    #  other  lower upper digit space  CR    LF   mark      what follows what, in a device's text
    [[0.05, 0.30, 0.18, 0.20, 0.09, 0.05, 0.05, 0.08],
     [0.004, 0.70, 0.02, 0.03, 0.12, 0.035, 0.02, 0.075],
     [0.004, 0.13, 0.55, 0.09, 0.08, 0.035, 0.015, 0.10],
     [0.004, 0.03, 0.05, 0.48, 0.10, 0.06, 0.03, 0.25],
     [0.004, 0.38, 0.20, 0.28, 0.05, 0.01, 0.01, 0.07],
     [0.004, 0.02, 0.04, 0.03, 0.01, 0.02, 0.85, 0.03],
     [0.004, 0.26, 0.28, 0.15, 0.03, 0.08, 0.03, 0.17],
     [0.004, 0.12, 0.20, 0.35, 0.18, 0.04, 0.02, 0.09]]
)  # fmt: skip


_FOLLOWS_UPPER = np.array(
    #  letter lower upper digit space  CR    LF   mark      the same, where letters are those above 127
    [[0.800, 0.01, 0.01, 0.02, 0.10, 0.03, 0.01, 0.04],
     [0.050, 0.60, 0.05, 0.05, 0.12, 0.04, 0.02, 0.07],
     [0.050, 0.20, 0.40, 0.10, 0.10, 0.05, 0.02, 0.08],
     [0.030, 0.01, 0.02, 0.50, 0.12, 0.08, 0.04, 0.20],
     [0.500, 0.03, 0.05, 0.33, 0.03, 0.01, 0.01, 0.04],
     [0.030, 0.01, 0.02, 0.03, 0.01, 0.02, 0.85, 0.03],
     [0.450, 0.05, 0.08, 0.30, 0.03, 0.03, 0.03, 0.03],
     [0.100, 0.03, 0.05, 0.60, 0.12, 0.03, 0.02, 0.05]]
)  # fmt: skip


_FOLLOWS_ACCENTED = np.array(
    #  accent lower upper digit space  CR    LF   mark      the same, where a few letters are above 127
    [[0.080, 0.66, 0.06, 0.02, 0.10, 0.025, 0.015, 0.04],
     [0.055, 0.66, 0.02, 0.02, 0.13, 0.030, 0.020, 0.065],
     [0.050, 0.30, 0.38, 0.06, 0.08, 0.025, 0.015, 0.09],
     [0.015, 0.03, 0.04, 0.46, 0.11, 0.060, 0.030, 0.255],
     [0.040, 0.40, 0.17, 0.26, 0.05, 0.010, 0.010, 0.06],
     [0.010, 0.02, 0.04, 0.03, 0.01, 0.020, 0.840, 0.03],
     [0.020, 0.27, 0.28, 0.15, 0.03, 0.070, 0.030, 0.15],
     [0.030, 0.13, 0.18, 0.33, 0.18, 0.040, 0.020, 0.09]]
)  # fmt: skip


def _accented() -> NDArray[np.float64]:
    """Letters with marks lie from C0 on in most sets, from 80 to A8 in those of older screens; UTF-8 has both."""
    weight = _text()
    weight[CLASS_OF == NO_CLASS] *= 0.2
    weight[0x80:0xA9] = 0.35
    weight[0xA9:0xC0] = 0.12
    weight[0xC0:] = 0.6
    out: NDArray[np.float64] = weight / weight.sum()
    return out


def _upper_half() -> NDArray[np.float64]:
    """Letters are about equally frequent: which code page it is, is not known; most have theirs from C0 on."""
    weight = _text()
    weight[CLASS_OF == NO_CLASS] = 0.01
    weight[0x80:0xC0] = 0.15
    weight[0xC0:] = 1.0
    out: NDArray[np.float64] = weight / weight.sum()
    return out


@cache
def weights(kind: int, data_bits: int) -> NDArray[np.float32]:
    """(CLASSES, 256, 256): log weight by the class of the character before, the mask of known bits, and their value."""
    return np.stack([_by_mask(_behind(kind, before), data_bits) for before in range(CLASSES)])


@cache
def _behind(kind: int, before: int) -> NDArray[np.float64]:
    """(256,) how usual each character is behind one of a class."""
    if kind == ANY:
        mixed = sum(share * _behind(each, before) for each, share in _OF_ANY.items())
        return np.asarray(mixed + _FLAT / 256)
    if kind == BINARY:
        return _binary()
    single, follows = {
        TEXT: (_text(), _FOLLOWS),
        UPPER_HALF: (_upper_half(), _FOLLOWS_UPPER),
        ACCENTED: (_accented(), _FOLLOWS_ACCENTED),
    }[kind]
    share = np.array([single[kind_ == CLASS_OF].sum() for kind_ in range(CLASSES)])
    follow = follows[before] / follows[before].sum()
    out: NDArray[np.float64] = single / share[CLASS_OF] * follow[CLASS_OF]
    return out


def text_in(data: bytes) -> float:
    """By how much these bytes are likelier as text of some language than by chance, in nats a byte: text has 0.4 to
    2.4, what a line brings at a wrong rate is below 0. Zero for none."""
    if not data:
        return 0.0
    kinds = CLASS_OF[np.frombuffer(data, np.uint8)]
    before = np.concatenate([[NO_CLASS], kinds[:-1]])
    values = np.frombuffer(data, np.uint8)
    flat = float(np.log(256))
    return max(float(weights(kind, 8)[before, 0xFF, values].mean()) + flat for kind in (TEXT, UPPER_HALF, ACCENTED))


def _by_mask(single: NDArray[np.float64], data_bits: int) -> NDArray[np.float32]:
    single = single[: 1 << data_bits] / single[: 1 << data_bits].sum()
    values = np.arange(1 << data_bits)
    table = np.full((256, 256), -np.inf, np.float32)
    for mask in range(1 << data_bits):
        with np.errstate(divide="ignore"):
            table[mask] = np.log(np.bincount(values & mask, weights=single, minlength=256))
    return table


def kind_weight(kind: int, data_bits: int) -> float:
    """How usual a content is at all: binary data travel in eight bits."""
    if kind == TEXT:
        return 0.55
    if kind in EIGHT_BITS:
        return {UPPER_HALF: 0.06, ACCENTED: 0.1}[kind] if data_bits == 8 else 1e-6
    return 0.32 if data_bits == 8 else 0.01
