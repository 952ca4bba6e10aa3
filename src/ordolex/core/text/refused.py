"""Whether a device that speaks text says no. What stands in a refusal, such as its number, is never a value."""

from __future__ import annotations

import re

_THING = (
    r"(?:COMMAND|CMD|PARAM(?:ETER)?|REQUEST|ARG(?:UMENT)?|QUERY|VALUE|OPTION|INPUT|FORMAT|ADDRESS|REGISTER|CHANNEL|NUMBER"
    r"|DATA|HEADER|FUNCTION|NAME|SYNTAX|CHECKSUM|KEYWORD|SUFFIX|INDEX|CHARACTER|SETTING|RANGE|VARIABLE)S?"
)
_NO = re.compile(
    r"\W*(?:"
    # the word alone, in languages that devices speak; a count of errors is a reading
    r"(?:ERROR|ERR|NAK|NACK|FEHLER|ERREUR|ERRORE|VIRHE|FEJL|FEIL|B\u0141\u0104D|CHYBA|HIBA|\u041e\u0428\u0418\u0411\u041a\u0410)"
    r"(?!\w*[^\W\d_])(?!\s+(?:COUNT|RATE|TOTAL|NONE|FREE))"
    rf"|(?:{_THING}|EXEC(?:UTION)?|COMM(?:UNICATION)?|DEVICE|CRC|PARITY)\s+(?:ERROR|ERR|FEHLER|FAIL\w*)\b"
    r"|NOT\s+(?:SUPPORTED|ALLOWED|VALID|FOUND|RECOGNI[SZ]ED|KNOWN|IMPLEMENTED|PERMITTED|POSSIBLE)\b"
    rf"|(?:INVALID|ILLEGAL|UNKNOWN|BAD|UNRECOGNI[SZ]ED|UNDEFINED|UNSUPPORTED|WRONG|MISSING|NO\s+SUCH)\s+{_THING}\b"
    rf"|{_THING}(?:\s+\S{{1,12}})?\s+(?:IS\s+)?(?:NOT\s+\w+|OUT\s+OF\s+RANGE|INVALID|UNKNOWN|REJECTED|REFUSED|DENIED|TOO\s+\w+)\b"
    r"|OUT\s+OF\s+RANGE\b|(?:ACCESS\s+|PERMISSION\s+)?(?:DENIED|REFUSED|REJECTED|FORBIDDEN)\b|UNSUPPORTED\b"
    r"|(?:UNG\u00dcLTIG|UNBEKANNT|UNZUL\u00c4SSIG|FALSCH|NICHT\s+(?:ERLAUBT|UNTERST|GEFUNDEN|BEKANNT|ZUL))"
    r"|(?:COMMANDE|PARAM\u00c8TRE|VALEUR)\s+(?:INCONNU|INVALIDE|INTERDIT|ERRON|HORS)"
    r"|(?:COMANDO|PAR\u00c1METRO|VALOR)\s+(?:DESCONOCID|INV\u00c1LID|NO\s|FUERA|ERR)"
    rf"|(?:COMMAND[OE]|COMANDO|PAR[A\u00c0\u00c1\u00c2]METR[OE]S?|VALOR[E]?S?|INDIRIZZO|REGISTRO|ARGUMENTO|ORDRE|ADRESSE)\s+(?:NON?\s|N\u00c3O\s|"
    r"SCONOSCIUT|DESCONOCID|DESCONHECID|INCONNU|INV[A\u00c1]LID|FUERA|ERR)"
    r"|(?:BEFEHL|WERT|ADRESSE|REGISTER|ZUGRIFF|PARAMETER|EINGABE)\s+(?:UNBEKANNT|UNG\u00dcLTIG|FALSCH|VERWEIGERT|NICHT|FEHLT|GESPERRT)"
    r"|(?:KOMMANDO[NT]?|KOMENTO|KOMMANDOEN|PARAMETERN?|V\u00c4RDET)\s+(?:FINNS|INTE|OK\u00c4N|EI|TUNTEMATON|IKKE|UKJENT|UKENDT)"
    r"|(?:OPDRACHT|COMMANDO|POLECENIE|P\u0158\u00cdKAZ|PARANCS)\s+(?:ONBEKEND|ONGELDIG|NIEZNAN|NEZN|ISMERETLEN)"
    r"|(?:\u041d\u0415\u0412\u0415\u0420\u041d|\u041d\u0415\u0418\u0417\u0412\u0415\u0421\u0422|\u041d\u0415\u0414\u041e\u041f\u0423\u0421\u0422|\u041d\u0415\s+\u041f\u041e\u041d|\u041e\u0422\u041a\u0410\u0417)"
    r"|(?:OGILTIG|OK\u00c4NT|UGYLDIG|UKENDT|UKJENT|ONGELDIG|ONBEKEND|NIEPRAWID|NIEZNAN|NEPLATN|NEZN\u00c1M)"
    r"|-[1-4]\d\d\s*,\s*\""  # a number and a text of the error queue, SCPI-99, volume 2, 21.8
    r")",
    re.I,
)
_NO_AND_NO_MORE = re.compile(r"\s*(?:\?+[\s:]*\d{0,4}|[*!#%]?E[RF]?[\s:-]{0,2}\d{1,3}[.!]?|N/?A|NG\s*\d{0,4})\s*", re.I)
"""All that some devices say: a question mark or a letter, and a number."""
_INSTEAD = re.compile(
    r"\W*(?:(?:FAULT|FAIL(?:ED|S|URE)?|TIME-?\s?OUT|ABORT\w*|DISCONNECTED|OFFLINE|STALE|RETRY|BUSY|ST\u00d6RUNG|DEFAUT|D\u00c9FAUT"
    r"|AVERIA|GUASTO)(?!\w*[^\W\d_])"
    r"|(?:ALARM|WARN\w*|OVER(?:RANGE|FLOW|LOAD)?|UNDER(?:RANGE|FLOW)?|TRIP(?:PED)?|WAIT)(?=\W*(?:\d|$)))",
    re.I,
)


def is_refusal(said: str, asked: str = "", like: str = "") -> bool:
    """Whether an answer begins with a refusal. Where the question, or the pattern or key of a value, is about errors
    itself, it is none."""
    found, about = _NO.match(said), f"{asked} {like}".upper()
    return found is not None and "ERR" not in about and "NAK" not in about and not _is_about(found[0], about)


def instead_of_a_value(said: str, asked: str = "") -> str:
    """With what an answer begins that says something else than a value, such as FAULT or E05; empty for none, and where
    the question is about that. A number in it may be any."""
    found = _NO_AND_NO_MORE.fullmatch(said) or _INSTEAD.match(said)
    return found[0].strip() if found is not None and not _is_about(found[0], asked.upper()) else ""


_NO_CONTROLS = dict.fromkeys([*range(32), 127])


def stands_instead(text: str, at: int, asked: str = "") -> str:
    """The same of the line in which `at` stands; a prompt or a heading may stand in others."""
    start = max(text.rfind("\n", 0, at), text.rfind("\r", 0, at)) + 1
    return instead_of_a_value(
        re.split(r"[\r\n]", text[start:], maxsplit=1)[0].translate(_NO_CONTROLS).rstrip("$>#: "), asked
    )


def _is_about(refusal: str, about: str) -> bool:
    """Whether the word that is a refusal was asked for; one of several words is none of what was asked for."""
    word = re.search(r"[^\W\d_]{3}", refusal.upper()) if " " not in refusal.strip() else None
    return word is not None and re.search(rf"(?<![^\W\d_]){word[0]}", about) is not None
