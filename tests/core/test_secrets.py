"""A secret that was typed never comes out of the withholder again, however a device gives it back."""

from itertools import pairwise

import pytest
from hypothesis import assume, given
from hypothesis import strategies as st

from ordolex.core.link.secrets import Known, Withholder, asks_for_secret, head_of_command, is_weak


@pytest.mark.parametrize("line", [b"Password: ", b"feeder 3\r\nEnter passcode> ", b"PIN?", b"Access code (4 digits): "])
def test_prompts_that_ask_for_a_secret_are_known(line: bytes) -> None:
    assert asks_for_secret(line)


@pytest.mark.parametrize(
    "line",
    [
        b"\x1b[1mPassword:\x1b[0m ", b"Password:\x07 ", b"\x1b[2J\x1b[5;3HPasswd: ", b"PW:", b"Pass: ", b"Enter PIN: ",
        b"Passwort: ", "Contraseña: ".encode(), b"Mot de passe : ", b"Key: ", b"Network key: ", b"Code: ",
        b"\x1b[31mPUK? ",
        "Lösenord: ".encode("latin-1"), "Код".encode() + b" / Password> ", "Пароль: ".encode(), "密码:".encode(),
        "パスワード> ".encode(), b"Lozinka: ", b"Kodeord:", b"Enter PIN", b"\x1b[7mEnter access code\x1b[m",
        b"PASSWORD ", "Clé WPA : ".encode(), "Clé : ".encode("cp850"), b"Clef: ", b"Sicherheitscode: ", b"Codice: ",
        "Mật khẩu: ".encode(), b"Palavra-passe: ", b"Salas\xf5na: ", b"SNMP community: ", b"OTP> ", b"One-time code: ",
        b"Enter key for network: ", b"Wrong PIN! PIN: ", b"Incorrect password. Password: ",
    ],
)  # fmt: skip
def test_prompts_with_codes_and_in_other_languages_are_known(line: bytes) -> None:
    assert asks_for_secret(line)


@pytest.mark.parametrize(("above", "line"), [
    (b"Enter password", b"> "), (b"Password:", b"> "), (b"\x1b[1mPlease enter your PIN:\x1b[0m", b": "),
    (b"Bitte Passwort eingeben", b"> "),
])  # fmt: skip
def test_a_prompt_on_the_line_above_is_one(above: bytes, line: bytes) -> None:
    assert asks_for_secret(line, above) and not asks_for_secret(line) and not asks_for_secret(b"menu> ", above)


@pytest.mark.parametrize("above", [b"Password changed.", b"wrong password, 2 tries left", b"Key 3 was pressed"])
def test_what_stands_above_an_ordinary_prompt_asks_for_nothing(above: bytes) -> None:
    assert not asks_for_secret(b"> ", above)


def test_a_short_or_digit_only_secret_is_withheld_as_an_echo_and_nowhere_else() -> None:
    for secret, reading in ((b"0000", b"value 10000.5\r\n"), (b"271828", b"counter 271828\r\n"), (b"ab", b"cable\r\n")):
        held = Withholder()
        held.typed(secret, 1.0, whole=True)
        assert received(held, [secret[:1], secret[1:] + b"\r\nok\r\n"]) == (b"\r\nok\r\n", len(secret))
        assert received(held, [reading], 2.0) == (reading, 0)


def test_every_secret_of_the_visit_is_known_on_every_link_also_corrected_and_slowly_echoed() -> None:
    known = Known()
    first, second = Withholder(known), Withholder(known)
    for number in range(40):
        first.typed(b"trout-%02d-x" % number, float(number), whole=True)
    first.closed()
    assert received(second, [b"was trout-00-x and trout-39-x"], 99.0)[0] == b"was  and "
    first.typed(b"ponx\x7fd-gate", 100.0, whole=True)
    echo = [b"p", b"o", b"n", b"x", b"\x08 \x08", *[bytes([one]) for one in b"d-gate"]]
    out = b"".join(piece.data for at, part in enumerate(echo) for piece in first.receive(part, 101.0 + 4 * at))
    assert out == b"", "an echo of one character in four seconds"
    assert b"pond-gate" not in received(second, [b"the key is pond-gate.\r\n"], 200.0)[0]


def test_of_a_command_only_the_secret_is_hidden() -> None:
    assert head_of_command(b"AT+NETKEY=0f1e2d3c") == b"AT+NETKEY="
    assert head_of_command(b"set network-key Brook42x") == b"set network-key "
    assert head_of_command(b"correct horse=battery") == b"" == head_of_command(b"AT+KEY=")


@pytest.mark.parametrize(
    "line",
    [
        b"login: ",
        b"Press any key: ",
        b"area code: ",
        b"Bypass: ",
        b"pass 3 of 5: ",
        b"donkey: ",
        b"Password changed.\r\nmenu> ",
        b"spinning: ",
        b"password is wrong\r\n",
        b"Enter setpoint",
        b"Hit the enter key",
        b"enter barcode",
        b"Function code: ",
        b"Unit code> ",
        b"Keys pressed: ",
        b"Password accepted: ",
        b"Password changed. ",
        b"Community pump 2> ",
        b"Clear: ",
        b"Kodak: ",
        b"",
    ],
)
def test_other_prompts_are_not_taken_for_one(line: bytes) -> None:
    assert not asks_for_secret(line)


def received(held: Withholder, pieces: list[bytes], at: float = 1.0) -> tuple[bytes, int]:
    out, withheld = b"", 0
    for piece in pieces:
        at += 0.01
        for one in held.receive(piece, at):
            out, withheld = out + one.data, withheld + one.withheld
    for one in held.flush(at + 9):
        out, withheld = out + one.data, withheld + one.withheld
    return out, withheld


def test_an_echo_is_withheld_and_what_follows_is_whole() -> None:
    held = Withholder()
    held.typed(b"t7ouT", 1.0, whole=True)
    assert received(held, [b"t7", b"ouT\r\nWelcome, operator\r\n"]) == (b"\r\nWelcome, operator\r\n", 5)
    assert received(held, [b"the code t7ouT is weak"]) == (b"the code  is weak", 5)


def test_typed_key_by_key_it_is_withheld_key_by_key_and_as_a_whole() -> None:
    held, seen = Withholder(), b""
    for at, key in enumerate(b"pond9"):
        held.typed(bytes([key]), float(at), whole=key == ord("9"))
        seen += received(held, [bytes([key])], at + 0.1)[0]
    assert seen == b""
    assert received(held, [b"you typed po", b"nd9!"], 60.0) == (b"you typed !", 5)


def test_without_an_echo_letters_of_the_reply_stay() -> None:
    held = Withholder()
    held.typed(b"we1r", 1.0, whole=True)
    assert received(held, [b"\r\nwelcome we are open\r\n"]) == (b"\r\nwelcome we are open\r\n", 0)
    assert received(held, [b"stars: ****\r\n"])[0] == b"stars: ****\r\n"


@given(secret=st.binary(min_size=5, max_size=12), before=st.binary(max_size=30), after=st.binary(max_size=30),
       cuts=st.lists(st.integers(0, 80), max_size=6))  # fmt: skip
def test_no_way_of_cutting_what_comes_lets_the_secret_through(
    secret: bytes, before: bytes, after: bytes, cuts: list[int]
) -> None:
    assume(not is_weak(secret))
    assume(secret not in before + after)  # what stands on both sides of the gap was not typed as a secret
    held = Withholder()
    held.typed(secret, 1.0, whole=True)
    text = before + secret + after
    edges = sorted({0, len(text), *(cut for cut in cuts if cut < len(text))})
    shown, withheld = received(held, [text[a:b] for a, b in pairwise(edges)])
    assert secret not in shown and len(shown) + withheld == len(text)


NEW_PROMPTS = (
    "Kennwort eingeben", "** PASSWORD REQUIRED **", "WEP key 1:", "(will not echo) »", "Retype it:", "Keyword:",
    "Código de acceso:", "Mot de passe (caché) ?", "Inserire codice di accesso:", "Salasana:", "Введите пароль",
    "Toegangscode >", "Zugangscode für Ebene 3:", "Digite a senha", "Installer code:", "supervisor word?  (no echo)",
    "Geben Sie den Code ein:",
)  # fmt: skip


@pytest.mark.parametrize("prompt", NEW_PROMPTS)
@pytest.mark.parametrize("codec", ["utf-8", "latin-1", "cp1251", "cp850"])
def test_prompts_of_devices_that_nobody_here_built_ask_for_secrets(prompt: str, codec: str) -> None:
    try:
        data = prompt.encode(codec)
    except UnicodeEncodeError:
        return
    assert asks_for_secret(data) and asks_for_secret(b"\x1b[1m" + data + b"\x1b[0m ")


def test_a_bare_sign_under_a_line_that_asks_is_a_prompt_for_a_secret() -> None:
    assert asks_for_secret(b"> ", b"Enter code for level 2")
    assert not asks_for_secret(b"> ", b"Enter the pump's number")


@pytest.mark.parametrize(
    "line",
    ["Barcode: ", "Status code: ", "Baud rate: ", "Code page [437]: ", "login: ",
     "Password changed.", "menu> ", "Level 3: ", "Pinout of port 2: ", "Decoder> ", "Keyboard layout: "],
)  # fmt: skip
def test_what_only_sounds_like_it_is_shown(line: str) -> None:
    assert not asks_for_secret(line.encode())
