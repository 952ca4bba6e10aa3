"""A device's sheet: what a technician knows of one kind of device, in a file that he can write with the manual beside
him. docs/sheets.md describes every key; a test holds the two together.
"""

from ordolex.core.sheet.base import SheetError
from ordolex.core.sheet.parts import Jumper, ListPlan, Lists, SheetQuestion
from ordolex.core.sheet.readiness import checklist, jumper_drawing, to_restore
from ordolex.core.sheet.sheet import Sheet, line_of, read_sheet

__all__ = [
    "Jumper", "ListPlan", "Lists", "Sheet", "SheetError", "SheetQuestion", "checklist", "jumper_drawing", "line_of",
    "read_sheet", "to_restore",
]  # fmt: skip
