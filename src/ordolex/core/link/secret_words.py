"""How much an unfinished line speaks for asking for a secret: no list of prompts ends, so that words of several
languages, what is said of the echo, and where it stands are weighed. Where it is doubtful it counts as asking: one key
shows what is typed, and nothing takes a secret back that was shown."""

from __future__ import annotations

import re

from ordolex.core.text.charsets import CHARSETS

ENOUGH = 3

_SURE = re.compile(
    r"pass[ -]?(?:word|code|phrase|key)|passwor[dt]|passwd|kennwort|losung|parole|paswoord|wachtwoord|lösenord"
    r"|losenord"
    r"|salasana|adgangskode|adgangskod|kodeord|passord|aðgangsorð|hasło|haslo|heslo|jelszó|jelszo|geslo|lozinka"
    r"|parol[ëa]"
    r"|slaptažodis|parool|contraseña|contrasena|contrasenya|clave|senha|palavra[- ](?:passe|chave)|mot de passe"
    r"|parola"
    r"|пароль|пароля|парол|лозинка|кодовое слово|ключ доступа|κωδικός|şifre|sifre"
    r"|(?:zugangs|zugriffs|freischalt|sicherheits|service|wartungs|geheim|technik\w*|meister)[ -]?(?:code|kode"
    r"|nummer|zahl)"
    r"|(?:access|security|secret|unlock|service|engineer\w*|supervisor|admin\w*|installer|master|activation"
    r"|licen[sc]e"
    r"|entry|login|pairing|one[- ]time)[ -]?(?:code|key|token|word)"
    r"|(?:wep|wpa2?|aes|des|psk|shared|encryption|crypt\w*|network|private)[ -]?key|pre[- ]?shared"
    r"|c[oó]dig[oe] (?:de )?(?:acc?es+o|segur\w+|secret\w+|pin|servi\w+)|code (?:d['’ ]acc[eè]s|secret|pin"
    r"|de service)"
    r"|codice (?:di accesso|segreto|pin|di servizio)|toegangscode|åtkomstkod|pääsykoodi|tilgangskode|kod dostępu"
    r"|schl[uü]sselwort|secret word|magic word|watchword",
    re.IGNORECASE,
)
_NO_ECHO = re.compile(
    r"(?:will|does|do|is|are) not (?:be )?(?:echo|shown|show|display|appear|visible)\w*|no echo|not echoed"
    r"|hidden input|input hidden"
    r"|wird nicht (?:an)?gezeigt|unsichtbar|verdeckte eingabe|invisible|sans écho|no se (?:muestra|verá)"
    r"|non visualizzat\w+",
    re.IGNORECASE,
)
_PERHAPS = re.compile(
    r"(?<![a-z])(?:pass|pwd|pin|puk|key(?:word)?|code|codice|c[oó]digo|kode|kod|koodi|schl[uü]ssel|token|otp"
    r"|psk|secret|geheim\w*"
    r"|segreto|secreto|segredo|hemlig\w*|credentials?|авторизац\w+|код|ключ)(?![a-z])",
    re.IGNORECASE,
)
_BIDS = re.compile(
    r"(?<![a-z])(?:enter|type|give|input|insert|key in|supply|provide|eingeben|eingabe|geben sie|saisi\w*"
    r"|entre[zr]|introdu\w*"
    r"|ingres\w*|digit\w*|inserir|inserisci|ange|anna|syötä|indtast|skriv|oppgi|voer|geef|podaj|wpisz|zadejte"
    r"|введите)(?![a-z])",
    re.IGNORECASE,
)
_AGAIN = re.compile(r"(?<![a-z])re-?(?:type|enter)(?![a-z])", re.IGNORECASE)
_ENDS = re.compile(r"[:>?=»›→▸]\s{0,3}$")
_SENTENCE = re.compile(r"(?<=[.!;])\s+(?=\S)")
_STATES = re.compile(
    r"\b(?:set|changed|accepted|saved|updated|stored|deleted|correct|incorrect|wrong|invalid|ok|protected"
    r"|protection|expired"
    r"|enabled|disabled|falsch|geändert|inconnu|cambiad[ao]|accettat[ao]|on|off|none|yes|no|menu|manager"
    r"|settings|options)\W*$",
    re.IGNORECASE,
)

_COUNTS = re.compile(r"\d+ (?:of|von|de|sur|di|av|af) \d+|\([^)]{1,12}/[^)]{1,12}\)", re.IGNORECASE)
"""Counts, and choices such as (on/off)."""


def weighs(line: bytes) -> int:
    """From 0; ENOUGH and more counts as asking. `line` is the last one, without codes."""
    return max((_weight(text) for text in _readings(line)), default=0)


def bids_for_one(line: bytes) -> bool:
    """Whether a whole line tells somebody to enter a secret."""
    return weighs(line) >= ENOUGH and any(_BIDS.search(text) for text in _readings(line))


def _readings(line: bytes) -> list[str]:
    """In each character set: the words may be in any of them."""
    if line.isascii():
        return [line.decode("ascii")]
    return list({line.decode(codec, "replace") for codec in (*CHARSETS.values(), "koi8-r", "cp1250")})


def _weight(text: str) -> int:
    asked = _SENTENCE.split(text.strip())[-1][-80:]
    said = asked.rstrip(" :>?=»›→▸.*-#[](){}")
    if not said or _STATES.search(said) or _COUNTS.search(asked):
        return 0
    out = ENOUGH if _NO_ECHO.search(text[-80:]) else 0
    if _SURE.search(asked) or _AGAIN.search(asked):
        out += 3
    elif _PERHAPS.search(asked):
        out += 2 if len(asked.split()) <= 6 else 1
    else:
        return out
    return out + bool(_BIDS.search(asked)) + bool(_ENDS.search(text))
