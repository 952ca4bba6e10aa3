"""What cellular modems say of themselves and their network, in words. Clauses are of 3GPP TS 27.007."""

from __future__ import annotations

from ordolex.core.protocols.at.results import values_of

_STATES = {
    0: "not registered, not searching", 1: "registered, home network", 2: "not registered, searching",
    3: "registration denied", 4: "unknown, such as out of coverage", 5: "registered, roaming",
}  # fmt: skip
_TECHNOLOGIES = {0: "GSM", 2: "UTRAN", 3: "GSM with EGPRS", 7: "E-UTRAN", 9: "E-UTRAN (NB-S1)", 11: "NR"}


def signal_dbm(rssi: int) -> int | None:
    """+CSQ (8.5): 0 is −113 dBm or less, 31 is −51 dBm or more; 99 and what lies between is not known."""
    return -113 + 2 * rssi if 0 <= rssi <= 31 else None


def signal_words(rssi: int) -> str:
    dbm = signal_dbm(rssi)
    if dbm is None:
        return "not known or not detectable"
    edge = " or less" if rssi == 0 else " or more" if rssi == 31 else ""
    quality = "weak" if dbm < -95 else "fair" if dbm < -85 else "good"
    return f"{dbm} dBm{edge}, {quality}"


def words_of(line: str) -> str:
    """What an answer line means: +CSQ, +CREG, +CGREG, +CEREG, +COPS, +CGDCONT, +CPIN; empty for others."""
    name, values = values_of(line)
    try:
        match name:
            case "+CSQ":
                return signal_words(int(values[0]))
            case "+CREG" | "+CGREG" | "+CEREG":  # 7.2, 10.1.20, 10.1.22: n first where it was asked for
                state = int(values[1] if len(values) in (2, 4, 5) else values[0])
                return _STATES.get(state, f"state {state}")
            case "+COPS":  # 7.3
                if len(values) < 3:
                    return "no operator chosen"
                technology = f", {_TECHNOLOGIES.get(int(values[3]), 'another technology')}" if len(values) > 3 else ""
                return f"operator {values[2]}{technology}"
            case "+CGDCONT":  # 10.1.1
                return f"context {values[0]}: {values[1]}, access point {values[2]}"
            case "+CPIN":  # 8.3
                return "no code is wanted" if values[0] == "READY" else f"it wants {values[0]}"
    except (ValueError, IndexError):
        return "an answer that does not fit the standard"
    return ""
