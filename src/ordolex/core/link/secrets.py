"""What was typed as a secret is taken out of what comes back, before anything is shown or kept.

A device may give it back at once (an echo), character by character, or later somewhere in a line of text. In its place
stands only how many bytes were withheld. A secret that is short, or of digits only, is withheld as an echo alone: as a
piece of text it stands in many a reading that is none.
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from typing import NamedTuple

from ordolex.core.link.secret_words import ENOUGH, bids_for_one, weighs
from ordolex.core.text.visible import without_codes

_FROM_AFAR = (
    "(?:П|п)арол(?:ь|я|и|і)|(?:Л|л)озинк(?:а|у)|密码|密碼|口令|パスワード|暗証番号|비밀번호|암호|סיסמה|(?:Κ|κ)ωδικός|(?:Ş|ş)ifre"
).encode()
_LONG_WORDS = (
    rb"pass ?-?(?:word|code|phrase|key)|passwd|passwort|kennwort|geheimzahl|secret|geheim"
    rb"|(?:zugangs|zugriffs|freischalt|sicherheits|geheim|service|wartungs|aktivierungs) ?-?code"
    rb"|(?:network|net|wpa|psk|api|security|access|unlock|login|install|encryption|service) ?-?(?:key|code)|netzschl\S+"
    rb"|mot de passe|code (?:secret|d.acc\S+|pin)|contrase\S+a|clave|senha|parola(?: d.ordine)?|wachtwoord|l\S+senord"
    rb"|has\S+o|heslo|jelsz\S+|salasana|adgangskode|kodeord|passord|toegangscode|lozinka|geslo|parool|slapta\S+dis|sifre"
    rb"|palavra[ -](?:passe|chave)|salas\S+na|pasahitza|contrasenya|fjal\S+kalimi?|m\S+t kh\S+u|kata sandi"
    rb"|credentials?|(?:access|auth|security|login|api|session) ?token|one.time (?:code|pin)|" + _FROM_AFAR
)
_SHORT_WORDS = (
    rb"pass|pwd|pw|pin|puk|key|code|codice|kode|kod|schl\S{1,2}ssel|psk|token|otp|parole|community"
    rb"|cl(?:\xc3\xa9|[\xe9\x82]|ef)"
)
_PROMPT = re.compile(
    rb"(?<![a-z])(?:(?:" + _LONG_WORDS + rb")[^\r\n]{0,40}|(?:" + _SHORT_WORDS + rb")(?: ?[(\[][^)\]]*[)\]])?"
    rb"(?![a-z])[^\r\n\d]{0,16})[:>?=.] {0,3}$",
    re.IGNORECASE,
)
_ALONE = re.compile(rb"^[\s>:?=#*-]*$")
_ASKS = re.compile(
    rb"(?:^|\b(?:enter|type|give|input|insert|your|the|new|old|current|eingeben|bitte|votre|saisi\w*|introdu\w*)\b.*)"
    rb"(?<![a-z])(?:" + _LONG_WORDS + rb"|" + _SHORT_WORDS + rb")(?![a-z])[^\w]*(?:eingeben|below|now)?[^\w]*$",
    re.IGNORECASE,
)
_UNENDED = re.compile(
    rb"^\W*(?:(?:please )?(?:enter|type|give|input|insert|bitte|saisi\w*|introdu\w*)\b.{0,40}(?<![a-z])"
    rb"(?:" + _LONG_WORDS + rb"|" + _SHORT_WORDS + rb")|" + _LONG_WORDS + rb")(?![a-z])[^\w]*$",
    re.IGNORECASE,
)
_AGAIN = re.compile(
    rb"^(?!.*[yjos]/n)\W*(?:(?:please|bitte) )?(?:re-?enter|re-?type|repeat|verify|confirm\w*|again|once more|"
    rb"wiederhol\w+|best\S+tig\w+|r\S+p\S+ter|repet\w+|herhaal|bevestig)[^\r\n\d]{0,24}[:>?=.]? {0,3}$",
    re.IGNORECASE,
)
_NO_SECRET = re.compile(
    rb"any key|press |taste|code page|key ?pad|the enter key|enter key to|keys? pressed"
    rb"|(?:area|country|error|exit|zip|post|postal|function|unit|status|result|fault|alarm|type|order|product|device"
    rb"|language|currency|bar|qr|material|return|event|operation)[ -]?codes?\b(?! ?pin)"
    rb"|(?:changed|accepted|saved|updated|stored|deleted)[.!:]\s*$|(?:correct|incorrect|wrong|invalid|ok)[.!]\s*$",
    re.IGNORECASE,
)
_COMMAND = re.compile(
    rb"^(?:AT[^=\r\n]{1,20}=|(?:set|config\w*|conf|write|put)\s+\S*(?:key|pass|pin|secret|psk|pwd|code)\S*(?:\s+|=))",
    re.IGNORECASE,
)
_ECHO_S = 10.0
"""So long after the last byte of it the rest of an echo may come: over slow lines and from slow devices."""
HELD_S = 0.25
"""The beginning of a secret that goes on no further is let through, or withheld, after this long."""
_SHORT = 5
"""A secret shorter than this is withheld as an echo only: it would be found in any text."""
_RUBS_OUT = b"\x08\x7f"


class Piece(NamedTuple):
    """Bytes to go on with, and how many were withheld before them."""

    withheld: int
    data: bytes


def asks_for_secret(line: bytes, before: bytes = b"") -> bool:
    """Whether an unfinished line, as a prompt is, asks for something that nobody else should see. `before` is the line
    above it: some devices ask there, and stand at a bare sign below."""
    plain, above = _plain(line), _plain(before)
    if _NO_SECRET.search(plain):
        return False
    if _PROMPT.search(plain) or _UNENDED.search(plain):
        return True
    if weighs(plain) >= ENOUGH:
        return True
    bare = _ALONE.match(plain) is not None and (plain.strip() != b"" or line != b"")
    asks = bare and (_ASKS.search(above.strip()) is not None or bids_for_one(above))
    return asks and not _NO_SECRET.search(above)


def asks_once_more(line: bytes) -> bool:
    """Whether an unfinished line asks for what was given a moment before again: for a secret, if that was one."""
    return _AGAIN.match(_plain(line)) is not None


def _plain(line: bytes) -> bytes:
    """The last line of it, without colours, bells and other codes."""
    last = re.split(rb"[\r\n]", without_codes(line[-400:]))[-1]
    return bytes(byte for byte in last if byte >= 32 and byte != 127)[-200:]


def head_of_command(line: bytes) -> bytes:
    """What of a line that was typed hidden is a command and no secret, such as `AT+KEY=`; nothing where it is all
    secret."""
    found = _COMMAND.match(line)
    return found[0] if found is not None and len(found[0]) < len(line) else b""


def is_weak(secret: bytes) -> bool:
    """Whether a secret is looked for as an echo only."""
    return len(secret) < _SHORT or secret.isdigit() or len(set(secret)) < 3


class Known:
    """The secrets of a visit. Links share it, and it outlives their ports: what one device was told another may say."""

    def __init__(self) -> None:
        self._all: dict[bytes, None] = {}

    def add(self, secret: bytes) -> None:
        for one in (secret, _corrected(secret)):
            if one and not is_weak(one):
                self._all[one] = None

    def __iter__(self) -> Iterator[bytes]:
        return iter(self._all)

    def __len__(self) -> int:
        return len(self._all)

    def cut_from(self, data: bytes) -> bytes:
        """`data` without any of them."""
        for secret in self._all:
            data = data.replace(secret, b"")
        return data


def _corrected(secret: bytes) -> bytes:
    """What stands there once what was rubbed out is gone."""
    out = bytearray()
    for byte in secret:
        if byte in _RUBS_OUT:
            del out[-1:]
        else:
            out.append(byte)
    return bytes(out)


class Withholder:
    """Takes secrets out of what one link brings."""

    def __init__(self, known: Known | None = None) -> None:
        self._known = Known() if known is None else known
        self._echo = b""  # what may still come back at once, in this order
        self._echo_until_s = 0.0
        self._begun = b""  # bytes of a secret that is being typed
        self._tail = b""  # came, and may be the beginning of a secret
        self._tail_s = 0.0

    @property
    def known(self) -> Known:
        return self._known

    @property
    def active(self) -> bool:
        return bool(len(self._known) or self._echo)

    @property
    def holding(self) -> bool:
        """Whether `flush` has something to hand out later."""
        return bool(self._tail)

    def typed(self, data: bytes, now_s: float, *, whole: bool) -> None:
        """`data` goes out as a secret, or as the next part of one; `whole` ends it."""
        self._begun += data
        self._echo += data
        self._echo_until_s = now_s + _ECHO_S
        if whole and self._begun:
            self._known.add(self._begun)
            self._begun = b""

    def closed(self) -> None:
        """The port is closed: no echo comes any more. What was given so far of a secret is one."""
        if self._begun:
            self._known.add(self._begun)
        self._begun = self._echo = self._tail = b""

    def receive(self, data: bytes, now_s: float) -> list[Piece]:
        """What of it may be shown and kept."""
        if now_s > self._echo_until_s:
            self._echo = b""
        data, self._tail = self._tail + data, b""
        out: list[Piece] = []
        withheld, data = self._take_echo(data, now_s)
        while data:
            found = min(
                ((at, len(secret)) for secret in self._known if (at := data.find(secret)) >= 0),
                key=lambda one: (one[0], -one[1]),
                default=None,
            )
            if found is None:
                break
            at, length = found
            if at:
                out.append(Piece(withheld, data[:at]))
                withheld = 0
            withheld += length
            data = data[at + length :]
        held = max((_overlap(data, secret) for secret in self._known), default=0)
        if held:
            data, self._tail, self._tail_s = data[:-held], data[-held:], now_s
        if data or withheld:
            out.append(Piece(withheld, data))
        return out

    def _take_echo(self, data: bytes, now_s: float) -> tuple[int, bytes]:
        """How many bytes at the beginning are the echo, and what follows. An echo is the same bytes in the same order,
        from the first on; another byte says that there is none."""
        withheld = 0
        while self._echo and data:
            size = 0
            if self._echo[0] in _RUBS_OUT:
                shown = next((way for way in (b"\x08 \x08", b"\x08", b"\x7f") if data.startswith(way)), b"")
                size = len(shown)
            if data[:1] == self._echo[:1] or size:
                size = max(1, size)
                data, self._echo, withheld = data[size:], self._echo[1:], withheld + size
                self._echo_until_s = now_s + _ECHO_S
            elif self._echo[0] in _RUBS_OUT:
                self._echo = self._echo[1:]  # some devices show nothing for it
            else:
                self._echo = b""
        return withheld, data

    def flush(self, now_s: float) -> list[Piece]:
        """What was held back and did not become a secret. Half of one or more is withheld all the same."""
        if not self._tail or now_s - self._tail_s < HELD_S:
            return []
        tail, self._tail = self._tail, b""
        near = any(secret.startswith(tail) and 2 * len(tail) >= len(secret) for secret in self._known)
        return [Piece(len(tail), b"") if near else Piece(0, tail)]


def _overlap(data: bytes, secret: bytes) -> int:
    """How many bytes at the end of `data` begin the secret, without being all of it."""
    for length in range(min(len(data), len(secret) - 1), 0, -1):
        if data.endswith(secret[:length]):
            return length
    return 0
