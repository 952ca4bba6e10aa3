"""The technician's bag: the file in his data folder, or the usual bag, two of each part."""

from __future__ import annotations

from pathlib import Path

from platformdirs import user_data_path

from ordolex.core.wiring.bag import read_bag
from ordolex.core.wiring.parts import USUAL_BAG
from ordolex.core.wiring.solve import Bag, bag_of
from ordolex.io.faults import Fault


def own_bag() -> Path:
    return user_data_path("ordolex", appauthor=False) / "bag.toml"


def load_bag(path: Path | None = None) -> Bag:
    """The bag of a file; without one the technician's own, and without that the usual one.

    Raises PartError for what the file says, Fault where it cannot be read.
    """
    if path is None and not own_bag().is_file():
        return bag_of([*USUAL_BAG, *USUAL_BAG])
    file = path or own_bag()
    try:
        return read_bag(file.read_text(encoding="utf-8"))
    except (OSError, UnicodeDecodeError) as error:
        raise Fault(f"{file} cannot be read: {error}", "give the path of a bag file") from error
