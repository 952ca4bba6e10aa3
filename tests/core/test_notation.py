import pytest
from hypothesis import given
from hypothesis import strategies as st

from ordolex.core.line.notation import read_line
from ordolex.core.line.settings import Flow, LineSettings, Parity, SettingsError, parity_bit

READ = {
    "9600 8N1": "9600 8N1",
    "9600N81": "9600 8N1",
    "9600,n,8,1": "9600 8N1",
    "8-N-1 9600": "9600 8N1",
    "9k6 7E1": "9600 7E1",
    "19.2 kbaud even 7 data 1 stop": "19200 7E1",
    "1200 baud, 8 bits, no parity": "1200 8N1",
    "9600 N 8 1": "9600 8N1",
    "9k6-8n1": "9600 8N1",
    "9k68n1": "9600 8N1",
    "8N1 9600": "9600 8N1",
    "96008N1": "9600 8N1",
    "115200/8-N-1": "115200 8N1",
    "19200, Even, 8, 1": "19200 8E1",
    "Baud rate: 9600; Parity: None; Data bits: 8; Stop bits: 1": "9600 8N1",
    "9600 bps 8 data bits No parity 1 stop bit Flow control: None": "9600 8N1",
    "parity even 9600 data bits 8 stop bits 1": "9600 8E1",
    "9600 8N1 RTS/CTS": "9600 8N1 RTS/CTS",
    "9600 8-E-1 hardware handshake": "9600 8E1 RTS/CTS",
    "38400 8N1 xon/xoff": "38400 8N1 XON/XOFF",
    "38400 8N1 software": "38400 8N1 XON/XOFF",
    "38400 8N1 dtr/dsr": "38400 8N1 DTR/DSR",
    "9600 8N1 no flow control": "9600 8N1",
    "9600 8 none 1 none": "9600 8N1",
    "57k6 8O2": "57600 8O2",
    "115k2": "115200 8N1",
    "115.2 kbit/s": "115200 8N1",
    "2400 7 even 2": "2400 7E2",
    "50 5N1.5": "50 5N1.5",
    "50 baud 5 bits none one and a half stop bits": "50 5N1.5",
    "9600 7 mark 1": "9600 7M1",
    "9600 7 space two stop bits": "9600 7S2",
    "1.5 Mbaud 8n1": "1500000 8N1",
    "9,600 8N1": "9600 8N1",
    "19'200 8E1": "19200 8E1",
    "31250 6O1": "31250 6O1",
    "9600@8n1": "9600 8N1",
    "96 baud 8N1": "96 baud 8N1",
    "Line speed = 4800, 8N2": "4800 8N2",
    "9600 Bd, 8 Datenbits, keine Parität, 1 Stoppbit": "9600 8N1",
    "Baudrate: 2400 Parität: ungerade Datenbits: 7 Stoppbits: 2": "2400 7O2",
    "vitesse 4800, 8 bits de données, parité paire, 1 bit d'arrêt": "4800 8E1",
    "velocidad 9600, 8 bits de datos, sin paridad, 1 bit de parada": "9600 8N1",
    "9600 baud 7 bit di dati parità dispari 2 bit di stop": "9600 7O2",
    "9600 baud, 8 databits, geen pariteit, 1 stopbit": "9600 8N1",
    "300 Bd 7 databitar jämn paritet 1 stoppbit": "300 7E1",
    "RS-485 2-wire, half duplex, 19200 8E1": "19200 8E1",
    "COM1: 9600,N,8,1": "9600 8N1",
}

ASSUMED = {
    "19k2": ("data bits", "parity", "stop bits"),
    "8N1": ("baud",),
    "1200 baud, 8 bits, no parity": ("stop bits",),
    "9600 8N1": (),
}

WRONG = {
    "": "nothing was given",
    "96,8,N,1": "write 9600 if that is meant, or '96 baud'",
    "1152 8N1": "write 115200",
    "9600 9N1": "data bits: 9 cannot be",
    "9600 8N3": "stop bits: 3 cannot be",
    "9600 8X1": "'8x1' is not understood",
    "0 8N1": "baud: 0 cannot be",
    "99999999999 8N1": "baud: 99999999999 cannot be",
    "9600 4800 8N1": "baud: given twice, as 9600 and as 4800",
    "9600 7E1 8 bits": "data bits: given twice",
    "9600 8N1 even": "parity: given twice, as none and as even",
    "45.45 5N1.5": "45.45 is not a whole number of bits a second$",
    "38.4 8N1": "38.4 is not a whole number of bits a second; write 38.4k if 38400 is meant",
    "hello": "'hello' is not understood",
    "9600 8N1 sometimes": "'sometimes' is not understood",
}


@pytest.mark.parametrize("text", READ)
def test_every_notation_is_read(text: str) -> None:
    assert read_line(text).settings.text == READ[text]


@pytest.mark.parametrize("text", ASSUMED)
def test_what_is_not_said_is_marked_as_assumed(text: str) -> None:
    assert read_line(text).assumed == ASSUMED[text]


@pytest.mark.parametrize("text", WRONG)
def test_what_cannot_be_right_names_the_part(text: str) -> None:
    with pytest.raises(SettingsError, match=WRONG[text].replace("(", r"\(")):
        read_line(text)


SETTINGS = st.builds(
    LineSettings,
    baud=st.integers(10, 4_000_000),
    data_bits=st.sampled_from((5, 6, 7, 8)),
    parity=st.sampled_from(Parity),
    stop_bits=st.sampled_from((1.0, 1.5, 2.0)),
    flow=st.sampled_from(Flow),
)


@given(SETTINGS)
def test_what_the_program_prints_it_reads_back(settings: LineSettings) -> None:
    for text in (settings.text, settings.words, settings.text.lower().replace(" ", ", ")):
        assert read_line(text).settings == settings
        assert read_line(text).assumed == ()


@given(st.text(max_size=40))
def test_any_text_is_read_or_refused_with_a_reason(text: str) -> None:
    try:
        read_line(text)
    except SettingsError as error:
        assert str(error)


def test_frame_timing() -> None:
    line = read_line("9600 7E1").settings
    assert line.bits_per_frame == 10
    assert line.characters_per_s == 960
    assert line.seconds_for(960) == pytest.approx(1.0)
    assert read_line("110 8N2").settings.bits_per_frame == 11
    assert read_line("50 5N1.5").settings.bits_per_frame == 7.5


@pytest.mark.parametrize(
    ("parity", "bits"), [("N", (None, None)), ("E", (0, 1)), ("O", (1, 0)), ("M", (1, 1)), ("S", (0, 0))]
)
def test_parity_bit_for_even_and_odd_counts_of_ones(parity: str, bits: tuple[int | None, int | None]) -> None:
    assert (parity_bit(Parity(parity), 4), parity_bit(Parity(parity), 3)) == bits
