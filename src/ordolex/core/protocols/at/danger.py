"""Commands of a modem that can cut the technician off, or lose settings: what each does, said before it is sent.

Source: ITU-T V.250, 6.1 (Z, &F), 6.2 (E, Q, V, +IPR, +ICF, +IFC), 6.3 (H, O);
3GPP TS 27.007, 7.4 (+CLCK), 7.5 (+CPWD), 8.2 (+CFUN), 8.3 (+CPIN); 3GPP TS 27.005, 3.5.4 (+CMGD).
"""

from __future__ import annotations

import re

_DANGERS = (
    (r"&F\d?", "brings the factory settings back: rate, flow control and echo may be others, what was set is lost"),
    (r"Z\d?", "resets it to a stored profile: what was set and not stored is lost, and a call ends"),
    (r"&W\d?", "stores what is set now over the stored profile, which cannot be had back"),
    (r"Q1", "no result comes any more: it looks dead, and is not; ATQ0 undoes it, unheard"),
    (r"V0", "results come as digits from now on, such as 0 for OK; ATV1 undoes it"),
    (r"\+IPR=\d+", "changes the rate at once: set the port to it, or use Ctrl+B, change the rate in lock step"),
    (r"\+ICF=[\d,]+", "changes the framing at once: set the port to it too"),
    (r"\+IFC=[\d,]+", "changes flow control at once: a port that is set otherwise may hang"),
    (r"\+CFUN=(?!1\b)\d+(,\d)?", "turns its radio part off, or restarts it"),
    (r"\+CFUN=1,1", "restarts it: the port may go away"),
    (r"\+CPIN=(?!\?)[^;]*", "uses up a try: a wrong PIN three times locks the card, a wrong PUK ten times for ever"),
    (r"\+CLCK=(?!\?)[^;,]*,(?!2)\d[^;]*", "locks or unlocks the card or the unit; a wrong password uses up a try"),
    (r"\+CPWD=(?!\?)[^;]*", "changes a password; a wrong old one uses up a try"),
    (r"\+CMGD=(?!\?)[^;]*", "deletes messages, which cannot be had back"),
    (r"H\d?", "hangs up"),
)  # fmt: skip
_COMMAND = re.compile(r"AT\s*(.*)", re.IGNORECASE | re.DOTALL)


def dangers_of(data: bytes) -> list[str]:
    """What of a command line may do harm, each as `command: what it does`; none for others, such as a question."""
    found = _COMMAND.fullmatch(data.decode("latin-1").strip())
    if found is None:
        return []
    out, rest = [], found[1].upper().replace(" ", "")
    while rest:
        if re.match(r"[DA]", rest):
            break  # what stands behind dialling is a number
        danger = next(((m[0], words) for pattern, words in _DANGERS if (m := re.match(pattern, rest))), None)
        if danger is not None:
            out.append(f"{danger[0]}: {danger[1]}")
        step = re.match(r"\+[A-Z]+(=\?|\?|=[^;]*)?;?|&?[A-Z]\d*(=\d*|\?)?|\S", rest)
        assert step is not None
        rest = rest[max(1, step.end()) :]
    return out
