"""The documents that commands print with `--json`, as models: what is printed is held against them; their
JSON Schema is what `ordolex schema` prints. A command that fails may print `Failure` instead."""

from __future__ import annotations

from typing import Any

from pydantic import TypeAdapter

from ordolex.cli.documents.base import Failure
from ordolex.cli.documents.books import (
    Compared,
    Drawn,
    Exported,
    JoinedBooks,
    KnownFacts,
    Needed,
    PackedBook,
    Rescued,
    Searched,
    VerifiedPath,
    Visited,
)
from ordolex.cli.documents.devices import (
    Asked,
    BroughtUp,
    ComparedItem,
    ImportedTable,
    KeptItem,
    Line,
    Matched,
    PanelRow,
    Port,
    PulledList,
    ReadValue,
    Recorded,
    Solved,
    Tried,
    Unit,
    WrittenValue,
)
from ordolex.cli.documents.network import (
    AddedAddress,
    NetStep,
    Proposed,
    RelayReady,
    RunningRelay,
    Stopped,
    SurveyedHost,
)
from ordolex.cli.documents.site import Bench, BenchList, EndsAndBag, Idle, Rule, SheetChecked, SheetNamed, Wired
from ordolex.core.sheet import Sheet

DOCUMENTS: dict[str, Any] = {
    "line": Line,
    "find": list[Port],
    "find --ask": list[Tried],
    "ask": Asked,
    "record": Recorded,
    "read": list[ReadValue],
    "write": list[WrittenValue],
    "panel": list[PanelRow],
    "scan": list[Unit],
    "values": list[KeptItem],
    "values against": list[ComparedItem],
    "values import": ImportedTable,
    "lists": list[PulledList],
    "solve": Solved,
    "match": Matched,
    "export": Exported,
    "wave": Drawn,
    "handover": Visited,
    "verify": VerifiedPath,
    "facts": KnownFacts,
    "book join": JoinedBooks,
    "bringup": BroughtUp,
    "compare": Compared,
    "prepare": list[Needed],
    "secret": Searched,
    "book rescue": Rescued,
    "book pack": PackedBook,
    "sheet check": SheetChecked,
    "sheet list": list[SheetNamed],
    "sheet show": Sheet,
    "bus": list[Rule],
    "bench": Bench,
    "bench --list": BenchList,
    "wire": Wired,
    "wire --list": EndsAndBag,
    "wire --idle": Idle,
    "relay": RelayReady,
    "relay list": list[RunningRelay],
    "relay stop": Stopped,
    "survey": list[SurveyedHost],
    "net check": list[NetStep],
    "net wait": NetStep,
    "net propose": Proposed,
    "net undo": list[AddedAddress],
    "net own": list[str],
    "failure": Failure,
}
"""Command, with the option where another one is printed → its document."""


def document(command: str, value: object) -> Any:
    """The value, as its model has it. Raises pydantic's ValidationError for one that the model does not know."""
    adapter: TypeAdapter[Any] = TypeAdapter(DOCUMENTS[command])
    return adapter.dump_python(adapter.validate_python(value), mode="json", by_alias=True, exclude_unset=True)


def schema(command: str) -> dict[str, Any]:
    """JSON Schema of the command's document."""
    found = TypeAdapter(DOCUMENTS[command]).json_schema(by_alias=True)
    return {"$schema": "https://json-schema.org/draft/2020-12/schema", "title": f"ordolex {command} --json", **found}
