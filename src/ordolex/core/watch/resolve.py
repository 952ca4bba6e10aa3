"""What a round's items are by the sheets of their links; and what sheets offer to watch."""

from __future__ import annotations

from collections.abc import Mapping

from ordolex.core.sheet.fields import ValueField
from ordolex.core.sheet.parameters import Parameter
from ordolex.core.sheet.sheet import Sheet
from ordolex.core.watch.round import Round, RoundError, RoundItem


def resolved(round_: Round, sheets: Mapping[str, Sheet]) -> Round:
    """The round with what its items `read` written out: as something to ask, a register, or something to hear. What
    only the device's own protocol can read stays. Raises RoundError where a sheet has no such value."""
    items = []
    for item in round_.item:
        if not item.read:
            items.append(item)
            continue
        link = round_.link_named(item.link)
        sheet = sheets.get(link.sheet)
        if sheet is None:
            have = f"its sheet {link.sheet!r} is not there" if link.sheet else "it has no sheet"
            raise RoundError(f"item {item.name!r} reads {item.read!r} of {link.name!r}, but {have}")
        items.append(_of_sheet(item, sheet))
    return round_.model_copy(update={"item": items})


def _of_sheet(item: RoundItem, sheet: Sheet) -> RoundItem:
    parameter = sheet.parameter_named(item.read)
    if parameter is not None:
        return _of_parameter(item, parameter)
    for question in sheet.question:
        for field in question.value:
            if item.read in (f"{question.name}/{field.name}", field.name):
                return item.model_copy(
                    update={
                        "read": "", "ask": question.send, "like": question.like, "between": question.between,
                        "value": field, "unit": item.unit or field.unit, "timeout_s": question.timeout_s,
                    }
                )  # fmt: skip
    for said in sheet.said:
        for field in said.value:
            if item.read in (f"{said.name}/{field.name}", field.name):
                more = {"hear": said.like, "value": field, "between": said.between, "unit": item.unit or field.unit}
                return item.model_copy(update={"read": "", **more})
    offered = ", ".join(one.read for one in offers(sheet, item.link)[:12]) or "none"
    raise RoundError(f"item {item.name!r}: the sheet {sheet.name} offers no {item.read!r}; it offers {offered}")


def _of_parameter(item: RoundItem, parameter: Parameter) -> RoundItem:
    unit = item.unit or parameter.unit
    if parameter.modbus is not None:
        return item.model_copy(update={"read": "", "modbus": parameter.modbus, "unit": unit})
    kind = "number" if parameter.kind in ("number", "whole") else "text"
    if parameter.read:
        field = ValueField(name=item.name, group="value", kind=kind, unit="")  # type: ignore[arg-type]
        more = {"ask": parameter.read, "like": parameter.like, "value": field, "unit": unit}
        return item.model_copy(update={"read": "", **more})
    if parameter.hear:
        field = ValueField(name=item.name, group="value", kind=kind, unit="")  # type: ignore[arg-type]
        return item.model_copy(update={"read": "", "hear": parameter.hear, "value": field, "unit": unit})
    return item.model_copy(update={"unit": unit})


def offers(sheet: Sheet, link: str) -> list[RoundItem]:
    """What a sheet offers to watch: its numbers and states first, settings that seldom change last."""
    out = []
    for question in sheet.question:
        if question.harmless:
            out += [_offered(f"{question.name}/{field.name}", field.name, link, field.unit) for field in question.value]
    for said in sheet.said:
        out += [_offered(f"{said.name}/{field.name}", field.name, link, field.unit) for field in said.value]
    taken = {item.name for item in out}
    ranked = sorted(sheet.parameter, key=lambda one: (one.can_be_written, one.kind not in ("number", "whole")))
    out += [_offered(one.name, one.name, link, one.unit) for one in ranked if one.name not in taken]
    return out


def _offered(read: str, name: str, link: str, unit: str) -> RoundItem:
    return RoundItem(name=name, link=link, read=read, unit=unit)
