"""The technician's bags: files in his data folder, or the usual bag, two of each part."""

from __future__ import annotations

import re
from pathlib import Path

from platformdirs import user_data_path

from ordolex.core.wiring.bag import read_bag, with_count
from ordolex.core.wiring.parts import USUAL_BAG
from ordolex.core.wiring.solve import Bag, bag_of
from ordolex.io.system.faults import Fault
from ordolex.io.system.files import is_file, is_folder, is_there, private_folder, read_given_text, write_new


def own_bag() -> Path:
    return user_data_path("ordolex", appauthor=False) / "bag.toml"


def named_bags() -> dict[str, Path]:
    """Name → file: `bag`, and one for each file in the folder `bags` beside it (the car, the bench)."""
    folder = own_bag().parent / "bags"
    others = {path.stem: path for path in sorted(folder.glob("*.toml"))} if is_folder(folder) else {}
    return {"bag": own_bag(), **others}


def bag_file(name: str) -> Path:
    """The file of a bag of this name, there already or not. Raises a Fault for what cannot be a name."""
    if not re.fullmatch(r"[\w][\w .-]{0,39}", name):
        raise Fault(f"{name!r} cannot be the name of a bag", "use letters, digits, blanks, at most 40")
    return named_bags().get(name, own_bag().parent / "bags" / f"{name}.toml")


def keep_count(path: Path, part: str, count: int) -> None:
    """Writes how many of a part a bag has; a bag that is not there yet begins as the usual one. Raises a Fault, or a
    PartError where the file is no bag."""
    text = read_given_text(path, "a bag, or take the file away") if is_file(path) else _usual_text()
    read_bag(text)
    changed = with_count(text, part, count)
    read_bag(changed)
    private_folder(path.parent)
    write_new(path, [changed.encode()], force=True)


def _usual_text() -> str:
    return "".join(f'[[part]]\nname = "{name}"\ncount = 2\n\n' for name in USUAL_BAG)


def load_bag(path: Path | None = None) -> Bag:
    """The bag of a file, or of a name; without one the technician's own, and without that the usual one.

    Raises PartError for what the file says, Fault where it cannot be read.
    """
    if path is not None and not is_there(path) and str(path) in named_bags():
        path = named_bags()[str(path)]
    if (path is None or path == own_bag()) and not is_file(own_bag()):
        return bag_of([*USUAL_BAG, *USUAL_BAG])
    file = path or own_bag()
    return read_bag(read_given_text(file, "a bag file"))
