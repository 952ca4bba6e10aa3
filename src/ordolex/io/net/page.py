"""A device's page: its status, its title and the name in its certificate. Nothing of the page is run, and no link in it
is followed."""

from __future__ import annotations

import re
import ssl
from dataclasses import dataclass
from typing import Any

from ordolex.core.text.visible import visible_text

_MOST = 64 << 10
_TITLE = re.compile(rb"(?is)<title[^>]*>(.{0,300}?)</title")


@dataclass(frozen=True, slots=True)
class Page:
    """`status` is 0 where there was no answer; `why` says why. `certificate` is the name in it, with what of it could
    not be trusted; a device's own is seldom signed by anybody."""

    url: str
    status: int
    title: str
    certificate: str
    why: str = ""

    @property
    def words(self) -> str:
        if not self.status:
            return f"{self.url}: {self.why}"
        parts = [f"{self.url} answered {self.status}"]
        parts += [f"title {self.title!r}"] if self.title else ["no title"]
        parts += [f"certificate of {self.certificate}"] if self.certificate else []
        return ", ".join(parts)


async def look_at_page(url: str, timeout_s: float = 4.0) -> Page:
    """Never raises for what the device does."""
    import httpx

    context = ssl.create_default_context()
    context.check_hostname = False
    context.verify_mode = ssl.CERT_NONE  # we look at it, and trust it with nothing
    try:
        async with (
            httpx.AsyncClient(verify=context, timeout=timeout_s, follow_redirects=False, trust_env=False) as client,
            client.stream("GET", url) as response,
        ):
            certificate = _certificate(response.extensions.get("network_stream"))
            body = b""
            async for piece in response.aiter_bytes():
                body += piece
                if len(body) >= _MOST or b"</title" in body.lower():
                    break
            return Page(url, response.status_code, _title(body), certificate)
    except (httpx.HTTPError, httpx.InvalidURL, OSError, ValueError) as error:
        return Page(url, 0, "", "", f"{type(error).__name__}: {error}" if str(error) else type(error).__name__)


def _title(body: bytes) -> str:
    found = _TITLE.search(body[:_MOST])
    return visible_text(" ".join(found.group(1).decode("utf-8", "replace").split())) if found else ""


def _certificate(stream: Any) -> str:
    """The name in the certificate that was shown; empty where the connection was not encrypted."""
    secured = stream.get_extra_info("ssl_object") if stream is not None else None
    der = secured.getpeercert(binary_form=True) if secured is not None else None
    return name_in_certificate(der) if der else ""


_COMMON_NAME = bytes((0x06, 0x03, 0x55, 0x04, 0x03))


def name_in_certificate(der: bytes) -> str:
    """The subject's common name: of the two names in a certificate (RFC 5280, 4.1: issuer, then subject) the last. Its
    value is a DER string behind the attribute's identifier 2.5.4.3."""
    names = []
    at = der.find(_COMMON_NAME)
    while at >= 0:
        tag_at = at + len(_COMMON_NAME)
        length = der[tag_at + 1] if tag_at + 1 < len(der) else 0
        value = der[tag_at + 2 : tag_at + 2 + length]
        if length < 0x80 and len(value) == length:
            names.append(value.decode("utf-16-be" if der[tag_at] == 0x1E else "utf-8", "replace"))
        at = der.find(_COMMON_NAME, tag_at)
    return visible_text(names[min(1, len(names) - 1)]) if names else "nobody named"
