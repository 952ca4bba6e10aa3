"""Answers that say no, that say something else than a value, and those that say what was asked."""

import re

import pytest

from ordolex.core.text.refused import instead_of_a_value, is_refusal
from ordolex.core.watch.round import RoundItem
from ordolex.core.watch.samples import Quality
from ordolex.io.watch.sources import value_in

REFUSALS = (
    "ERROR", "ERR05", "!ERR", "ERROR:7", "NAK", "Fehler 3", "erreur 12", "ERRORE 4", "Illegal value 99", "Not allowed",
    "PARAM ERR 4", "Value out of range: 120", "value 120 out of range", "Address 7 unknown", "Access denied", "denied",
    "Command not found", '-113,"Undefined header"', "% Unknown command", "No such channel 9", "Checksum error 3",
    "Unsupported function 4", "UNGÜLTIGER WERT 7", "Commande inconnue: 3", "comando desconocido", "Value too large 100",
)  # fmt: skip
OTHERS = ("E05", "E: 4", "??", "? 3", "FAULT 3", "Failure 7", "timeout 5", "NG 3", "ALARM 2", "Störung 4", "Over 100")
READINGS = (
    "9.42", "TEMP 4", "VALUE 7.62", "Value: 12", "DATA 3.2", "range 4.2 m", "INDEX 5", "channel 2 12.5",
    "Overflow weir 3.2 m", "Waiting room 21.4 C", "Alarm limit 12", "Failsafe 3", "1E3", "-113.5", "-113, 4",
    "error count 3", "Fehlerzahl 4", "ERRATIC 0.3", "unknown sensor type 3.4 mg/l",
)  # fmt: skip


@pytest.mark.parametrize("said", REFUSALS)
def test_a_refusal_is_known_in_the_words_of_many_devices(said: str) -> None:
    assert is_refusal(said) and is_refusal(f"\r\n{said}\r\n", "T?\n")


@pytest.mark.parametrize("said", OTHERS)
def test_a_number_behind_a_word_for_something_else_is_no_value(said: str) -> None:
    assert instead_of_a_value(said, "T?\n") and not is_refusal(said)
    item = RoundItem.model_validate({"name": "water", "link": "L", "ask": "T?\\n"})
    assert value_in(item, said).quality is Quality.NOT_READABLE
    told = RoundItem.model_validate(
        {
            "name": "water",
            "link": "L",
            "ask": "T?\\n",
            "like": r"(?s).*?(?P<n>\d+)",
            "value": {"name": "v", "group": "n"},
        }
    )
    number = re.search(r"\d+", said)
    assert value_in(told, said).value == (float(number[0]) if number is not None else None)


@pytest.mark.parametrize("said", READINGS)
def test_a_reading_with_such_a_word_in_its_name_is_one(said: str) -> None:
    assert not is_refusal(said) and not instead_of_a_value(said)


def test_what_was_asked_for_is_no_refusal() -> None:
    assert not is_refusal("ERROR 3", "SYST:ERR?") and not is_refusal("Err 4", "T?", r"Err (?P<value>\d)")
    assert not instead_of_a_value("FAULT 3", "FAULT?") and not instead_of_a_value("ALARM 0", "ALARM?")
    assert is_refusal("Value out of range 9", "VAL?"), "what was refused is named in a refusal"
