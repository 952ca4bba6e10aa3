"""Whether a line ends in the prompt of a shell: whoever reaches that without a login commands the machine behind it."""

from __future__ import annotations

import re

from ordolex.core.text.visible import visible

_LONGEST = 120
_CODES = re.compile(rb"\x1b\[[0-9;?]*[ -/]*[@-~]|\x1b\][^\x07\x1b]*(?:\x07|\x1b\\)|\x1b[()][A-Za-z0-9]")
_PROMPT = re.compile(
    rb"""(?:^|[\r\n])(
        [\w.-]{1,40}@[\w.-]{1,60}(?:[:\s][^\r\n$\#%>]{0,80})?[$\#%>] | # user@host:~$
        \[[\w.-]{1,40}@[\w.-]{1,60}\s[^\]\r\n]{0,80}\][$\#] |        # [user@host ~]#
        [^\s$\#%>]{0,40}(?:/[^\s$\#%>]*|~)\s?[$\#%] |                # /root #, ~ $
        (?:sh|bash|ash|ksh|zsh|busybox)[\w.-]{0,10}[$\#%] |          # bash-5.2$
        [$\#] |                                                      # a bare # or $
        [\w.()-]{2,40}\# |                                           # a network device's privileged prompt
        (?:PS\ )?[A-Z]:\\[^\r\n<>|]{0,80}>                           # C:\>
    )\ ?$""",
    re.VERBOSE,
)


def shell_prompt(tail: bytes) -> str:
    """The prompt, made safe to show, where the latest bytes of a device end in one; empty where they do not. A line
    that somebody types at ends like this too: it is a sign, not a proof."""
    line = _CODES.sub(b"", tail[-400:])
    found = _PROMPT.search(line)
    return visible(found.group(1))[:_LONGEST] if found else ""
