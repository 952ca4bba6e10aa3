"""The book's file: an SQLite database. docs/book.md describes it for other programs; a test holds the two together."""

from __future__ import annotations

import sqlite3
from pathlib import Path

from ordolex.io.system.faults import BookFault
from ordolex.io.system.files import storable

APPLICATION_ID = 0x4F52444F  # "ORDO"
VERSION = 10

_TABLES = """
CREATE TABLE site (
    name TEXT NOT NULL,
    created_utc_us INTEGER NOT NULL
);
CREATE TABLE visit (
    id INTEGER PRIMARY KEY,
    started_utc_us INTEGER NOT NULL,
    started_mono_us INTEGER NOT NULL,
    ended_utc_us INTEGER,
    program TEXT NOT NULL
);
CREATE TABLE link (
    id INTEGER PRIMARY KEY,
    name TEXT NOT NULL,
    endpoint TEXT NOT NULL,
    line TEXT NOT NULL DEFAULT '',
    source TEXT NOT NULL DEFAULT '',
    adapter TEXT NOT NULL DEFAULT '',
    first_question TEXT NOT NULL DEFAULT '',
    line_end TEXT NOT NULL DEFAULT 'LF',
    sheet TEXT NOT NULL DEFAULT '',
    unit INTEGER NOT NULL DEFAULT -1,
    identity TEXT NOT NULL DEFAULT '',
    outputs TEXT NOT NULL DEFAULT '',
    charset TEXT NOT NULL DEFAULT '',
    created_utc_us INTEGER NOT NULL
);
CREATE TABLE chunk (
    id INTEGER PRIMARY KEY,
    visit INTEGER NOT NULL REFERENCES visit,
    link INTEGER NOT NULL REFERENCES link,
    direction TEXT NOT NULL CHECK (direction IN ('rx', 'tx')),
    utc_us INTEGER NOT NULL,
    mono_us INTEGER NOT NULL,
    last_mono_us INTEGER NOT NULL,
    framing INTEGER NOT NULL DEFAULT 0,
    parity INTEGER NOT NULL DEFAULT 0,
    breaks INTEGER NOT NULL DEFAULT 0,
    overruns INTEGER NOT NULL DEFAULT 0,
    data BLOB NOT NULL
);
CREATE TABLE event (
    id INTEGER PRIMARY KEY,
    visit INTEGER NOT NULL REFERENCES visit,
    link INTEGER NOT NULL,
    utc_us INTEGER NOT NULL,
    mono_us INTEGER NOT NULL,
    kind TEXT NOT NULL,
    text TEXT NOT NULL,
    detail TEXT NOT NULL DEFAULT '{}'
);
CREATE TABLE adapter (
    identity TEXT PRIMARY KEY,
    name TEXT NOT NULL
);
CREATE TABLE relay (
    name TEXT PRIMARY KEY,
    plan TEXT NOT NULL
);
"""

_WATCH = """
CREATE TABLE IF NOT EXISTS round (
    name TEXT PRIMARY KEY,
    toml TEXT NOT NULL,
    running INTEGER NOT NULL DEFAULT 0
);
CREATE TABLE IF NOT EXISTS item (
    id INTEGER PRIMARY KEY,
    round TEXT NOT NULL,
    name TEXT NOT NULL,
    link INTEGER NOT NULL,
    unit TEXT NOT NULL DEFAULT '',
    question TEXT NOT NULL DEFAULT '',
    every_s REAL NOT NULL,
    decimals INTEGER NOT NULL DEFAULT -1,
    UNIQUE (round, name)
);
CREATE TABLE IF NOT EXISTS value (
    key INTEGER PRIMARY KEY,
    value,
    quality INTEGER NOT NULL
);
CREATE TABLE IF NOT EXISTS minute (
    key INTEGER PRIMARY KEY, count INTEGER, missing INTEGER, low, high, total REAL, squares REAL
);
CREATE TABLE IF NOT EXISTS hour (
    key INTEGER PRIMARY KEY, count INTEGER, missing INTEGER, low, high, total REAL, squares REAL
);
CREATE TABLE IF NOT EXISTS outbox (
    id INTEGER PRIMARY KEY AUTOINCREMENT,
    topic TEXT NOT NULL,
    payload TEXT NOT NULL,
    retained INTEGER NOT NULL
);
CREATE TABLE IF NOT EXISTS confirmed (
    broker TEXT PRIMARY KEY,
    upto INTEGER NOT NULL
);
"""

_CHAIN = """
CREATE TABLE IF NOT EXISTS segment (
    id INTEGER PRIMARY KEY,
    chunk_to INTEGER NOT NULL,
    event_to INTEGER NOT NULL,
    utc_us INTEGER NOT NULL,
    sha256 TEXT NOT NULL
);
CREATE TABLE IF NOT EXISTS gone (
    chunk_to INTEGER NOT NULL,
    utc_us INTEGER NOT NULL,
    volume TEXT NOT NULL
);
CREATE TABLE IF NOT EXISTS state (
    segment INTEGER PRIMARY KEY,
    text TEXT NOT NULL
);
"""

_PACKS = """
CREATE TABLE IF NOT EXISTS pack (
    id INTEGER PRIMARY KEY,
    chunk_to INTEGER NOT NULL,
    first_utc_us INTEGER NOT NULL,
    last_utc_us INTEGER NOT NULL,
    rows INTEGER NOT NULL,
    bytes INTEGER NOT NULL,
    heads BLOB NOT NULL
);
CREATE TABLE IF NOT EXISTS piece (
    id INTEGER PRIMARY KEY,
    pack INTEGER NOT NULL REFERENCES pack,
    link INTEGER NOT NULL,
    direction TEXT NOT NULL CHECK (direction IN ('rx', 'tx')),
    at INTEGER NOT NULL,
    size INTEGER NOT NULL,
    text INTEGER NOT NULL,
    packed INTEGER NOT NULL,
    head BLOB NOT NULL,
    tail BLOB NOT NULL,
    grams BLOB NOT NULL,
    data BLOB NOT NULL
);
CREATE INDEX IF NOT EXISTS pack_by_time ON pack (last_utc_us);
CREATE INDEX IF NOT EXISTS piece_of_pack ON piece (pack, link, direction);
CREATE INDEX IF NOT EXISTS piece_of_link ON piece (link, direction, pack);
"""

_INDEXES = """
CREATE INDEX chunk_of_link ON chunk (link);
CREATE INDEX event_of_link ON event (link);
"""


def create(connection: sqlite3.Connection, site: str, utc_us: int) -> None:
    connection.execute("PRAGMA page_size = 8192")
    connection.execute(f"PRAGMA application_id = {APPLICATION_ID}")
    connection.execute(f"PRAGMA user_version = {VERSION}")
    connection.executescript(_TABLES + _WATCH + _CHAIN + _PACKS + _INDEXES)
    connection.execute("INSERT INTO site VALUES (?, ?)", (storable(site), utc_us))
    connection.commit()


_ADDED = {
    "sheet": (2, "TEXT NOT NULL DEFAULT ''"),
    "unit": (3, "INTEGER NOT NULL DEFAULT -1"),
    "identity": (3, "TEXT NOT NULL DEFAULT ''"),
    "outputs": (4, "TEXT NOT NULL DEFAULT ''"),
    "charset": (8, "TEXT NOT NULL DEFAULT ''"),
}
"""Columns of a link that the first version had not, in the order of LinkRecord: since when, and what they are."""


def renew(connection: sqlite3.Connection) -> None:
    """Gives a book of an earlier version what has been added since; nothing that it holds is touched."""
    (version,) = connection.execute("PRAGMA user_version").fetchone()
    if version >= VERSION:
        return
    there = {row[1] for row in connection.execute("PRAGMA table_info(link)")}
    for name, (_, kind) in _ADDED.items():
        if name not in there:
            connection.execute(f"ALTER TABLE link ADD COLUMN {name} {kind}")
    if version < 5:
        connection.execute("CREATE TABLE IF NOT EXISTS relay (name TEXT PRIMARY KEY, plan TEXT NOT NULL)")
    if version < 6:
        connection.executescript(_WATCH)
    if version < 9:
        connection.executescript(_CHAIN)
    if version < 10:
        connection.executescript(_PACKS)
    connection.execute(f"PRAGMA user_version = {VERSION}")
    connection.commit()


def link_columns(connection: sqlite3.Connection) -> str:
    """The columns of a link in the order of LinkRecord; an older book that is only read lacks some."""
    (version,) = connection.execute("PRAGMA user_version").fetchone()
    added = (name if version >= since else kind.rpartition(" ")[2] for name, (since, kind) in _ADDED.items())
    return ", ".join(("id, name, endpoint, line, source, adapter, first_question, line_end", *added))


def held_elsewhere(path: Path, error: Exception) -> BookFault | None:
    """What SQLite says where another program keeps the file to itself; None where it says something else."""
    if getattr(error, "sqlite_errorcode", 0) & 0xFF not in (sqlite3.SQLITE_BUSY, sqlite3.SQLITE_LOCKED):
        return None
    return BookFault(f"{path} is held by another program ({error})", "end that one, then try again")


def check(connection: sqlite3.Connection, path: Path) -> None:
    """Raises BookFault unless the file is a book that this version can read."""
    try:
        (found,) = connection.execute("PRAGMA application_id").fetchone()
        (version,) = connection.execute("PRAGMA user_version").fetchone()
    except sqlite3.DatabaseError as error:
        if held := held_elsewhere(path, error):
            raise held from error
        if "malformed" in str(error):
            advice = f"`ordolex book rescue '{path}' NEW` saves what can be read; it was left as it is"
            raise BookFault(f"{path} is damaged: {error}", advice) from error
        raise BookFault(f"{path} is no book ({error})", "choose another file; it was left as it is") from error
    if found != APPLICATION_ID:
        raise BookFault(f"{path} is a database, but no book", "choose another file; it was left as it is")
    try:
        for table in ("site", "visit", "link", "chunk", "event", "adapter"):
            connection.execute(f"SELECT * FROM {table} LIMIT 1").fetchone()
    except sqlite3.DatabaseError as error:
        if held := held_elsewhere(path, error):
            raise held from error
        raise BookFault(
            f"{path} is damaged: {error}", f"`ordolex book rescue '{path}' NEW` saves what can be read"
        ) from error
    if version > VERSION:
        raise BookFault(f"{path} was written by a newer Ordolex (book version {version})", "open it with that one")
