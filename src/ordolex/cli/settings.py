"""`line`: any notation of line settings, read."""

from __future__ import annotations

from typing import Annotated

import typer

from ordolex.cli.common import faults_said, print_document
from ordolex.core.line.notation import read_line


def add_to(app: typer.Typer) -> None:
    app.command()(line)


def line(
    text: Annotated[
        str, typer.Argument(help="As on a sticker: '9600 8N1', '9600,n,8,1', '19.2 kbaud even 7 data 1 stop'")
    ],
    json: Annotated[bool, typer.Option("--json")] = False,
) -> None:
    """Read line settings in any notation, and say how long characters take."""
    with faults_said(json):
        read = read_line(text)
    settings = read.settings
    if json:
        print_document(
            "line",
            {
                **settings.as_dict(),
                "assumed": list(read.assumed),
                "bits_per_frame": settings.bits_per_frame,
                "characters_per_s": round(settings.characters_per_s, 3),
            },
        )
        return
    typer.echo(settings.words)
    typer.echo(f"short form: {read.read_as}")
    typer.echo(
        f"{settings.bits_per_frame:g} bits a character, {settings.characters_per_s:.1f} characters a second, "
        f"{settings.seconds_for(1000):.2f} s for 1000"
    )
