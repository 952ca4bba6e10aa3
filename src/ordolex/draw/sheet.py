"""A sheet of paper to draw on, and its writing to SVG or PDF: same input, same file, byte by byte; text stays text."""

from __future__ import annotations

import io
from pathlib import Path
from typing import Any

import matplotlib as mpl
from matplotlib.figure import Figure

INK, DIM, COPPER, GOOD, BAD = "#1d2427", "#66757c", "#98531b", "#2f6b37", "#a8382a"

_STYLE: Any = {
    "svg.fonttype": "none",  # text stays text
    "svg.hashsalt": "ordolex",  # names inside the file do not change from run to run
    "pdf.fonttype": 42,
    "font.family": "DejaVu Sans",
    "font.size": 9,
}


class DrawingError(ValueError):
    """A file that cannot be a drawing."""


def sheet(width_mm: float, height_mm: float) -> tuple[Figure, Any]:
    """A figure and its one set of axes, in millimetres from the lower left, without frame."""
    figure = Figure(figsize=(width_mm / 25.4, height_mm / 25.4))
    axes = figure.add_axes((0.0, 0.0, 1.0, 1.0))
    axes.set_xlim(0, width_mm)
    axes.set_ylim(0, height_mm)
    axes.set_axis_off()
    return figure, axes


def drawn(figure: Figure, path: Path) -> bytes:
    """The drawing as the bytes of a file of that name. Raises DrawingError for other names than .svg and .pdf."""
    kind = path.suffix.lower()
    if kind not in (".svg", ".pdf"):
        raise DrawingError(f"{path}: a drawing is an .svg or a .pdf")
    facts: dict[str, Any] = {"Creator": "Ordolex"}
    facts |= {"Date": None} if kind == ".svg" else {"CreationDate": None, "ModDate": None, "Producer": None}
    with mpl.rc_context(_STYLE):
        out = io.BytesIO()
        figure.savefig(out, format=kind[1:], metadata=facts)
    return out.getvalue()
