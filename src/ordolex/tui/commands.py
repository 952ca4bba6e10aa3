"""All commands of the interface as data: keys, footer, palette, help page and README follow from this one table."""

from __future__ import annotations

from dataclasses import dataclass

from textual.binding import Binding, BindingType

EVERYWHERE, FIND, WIRE, MATCH, TALK, SET, KEEP = "everywhere", "Find", "Wire", "Match", "Talk", "Set", "Keep"


@dataclass(frozen=True, slots=True)
class Command:
    """`action` is the name of the Textual action at the app (everywhere) or at the desk. `footer` is its short form,
    empty for what the footer leaves out. `priority` keys work while a line is being typed."""

    id: str
    key: str
    title: str
    context: str
    help: str
    footer: str = ""
    priority: bool = False

    @property
    def action(self) -> str:
        return self.id.split(".", 1)[1]

    @property
    def shown_key(self) -> str:
        """The key as it stands on the keyboard."""
        names = {
            "question_mark": "?",
            "slash": "/",
            "comma": ",",
            "full_stop": ".",
            "escape": "Esc",
            "pageup": "PgUp",
            "pagedown": "PgDn",
        }
        parts = [names.get(part, part.capitalize()) for part in self.key.split("+")]
        return self.key if len(self.key) == 1 else "+".join(parts)


COMMANDS: tuple[Command, ...] = (
    Command(
        "app.help", "f1", "Help", EVERYWHERE, "Keys of this desk, and what to do when it does not work.", "help", True
    ),
    Command("app.desk_find", "f2", "Find", EVERYWHERE, "Which port is it? The live survey.", "", True),
    Command("app.desk_wire", "f3", "Wire", EVERYWHERE, "Will the cable work?", "", True),
    Command("app.desk_match", "f4", "Match", EVERYWHERE, "What are the line settings? Found by reasoning.", "", True),
    Command(
        "app.desk_talk", "f5", "Talk", EVERYWHERE, "Ask the device; the conversation on the chosen link.", "", True
    ),
    Command("app.desk_set", "f6", "Set", EVERYWHERE, "The device's settings: read, change, read back.", "", True),
    Command("app.desk_keep", "f8", "Keep", EVERYWHERE, "The record: everything that passed in this book.", "", True),
    Command("app.leave", "f10", "Leave", EVERYWHERE, "Releases every port, closes the book and ends.", "leave", True),
    Command(
        "app.command_palette", "ctrl+p", "All commands", EVERYWHERE, "Every command by name, with its key.", "", True
    ),
    Command("app.next_link", "ctrl+down", "Next link", EVERYWHERE, "Chooses the next link of the rail.", "", True),
    Command("app.previous_link", "ctrl+up", "Previous link", EVERYWHERE, "Chooses the link above.", "", True),
    Command(
        "app.remark",
        "ctrl+r",
        "Note",
        EVERYWHERE,
        "A remark for the record: a lamp, a display, who said what.",
        "",
        True,
    ),
    Command(
        "app.why", "f12", "Why?", EVERYWHERE, "What may be wrong, weighed; you tell how tests came out.", "why", True
    ),
    Command(
        "app.light", "ctrl+y", "Light or dark", EVERYWHERE, "Turns the colours over, for bright surroundings.", "", True
    ),
    Command("find.open_port", "enter", "Open the port", FIND, "Asks for the line settings, then opens it.", "open"),
    Command(
        "find.type_address", "a", "Type an address", FIND, "A port that is not listed, rfc2217:// or tcp://.", "address"
    ),
    Command("find.ready", "k", "Ready?", FIND, "What must be so before the hunt, from the device's sheet.", "ready?"),
    Command(
        "find.last_link", "g", "Last good link", FIND, "Opens the link that was proven last, as it was.", "last good"
    ),
    Command("find.everywhere", "e", "Ask everywhere", FIND, "One question on all free ports at once.", "ask all"),
    Command(
        "find.identify",
        "u",
        "Identify by unplugging",
        FIND,
        "Pull an adapter and plug it in: that one; name it.",
        "unplug",
    ),
    Command(
        "find.trouble",
        "w",
        "Not as wanted?",
        FIND,
        "What is likely, and the next step: no port, no driver, no rights.",
        "trouble?",
    ),
    Command("find.release", "r", "Release the port", FIND, "Lets the port go; it is free at once.", "release"),
    Command(
        "find.fault", "b", "Bench fault", FIND, "Makes a bench device silent, late, noisy or vanish.", "bench fault"
    ),
    Command("wire.near", "n", "End at the PC", WIRE, "Which connector the PC's side has.", "PC's end"),
    Command("wire.device", "d", "End at the device", WIRE, "Which connector the device has.", "device's end"),
    Command("wire.flow", "h", "Handshake", WIRE, "Which flow control must work: none, RTS/CTS, DTR/DSR.", "handshake"),
    Command("wire.put", "p", "Put a part in", WIRE, "Checks the chain in hand, part by part.", "put in"),
    Command("wire.take", "backspace", "Take the last part out", WIRE, "Shortens the chain in hand.", ""),
    Command("wire.best", "s", "Best from the bag", WIRE, "Forgets the chain in hand, solves from the bag.", "solve"),
    Command("wire.bag", "a", "Bag at hand", WIRE, "Another bag; how many of each part are in it.", "bag"),
    Command("wire.idle", "i", "Idle voltage", WIRE, "What a reading on a pin says.", "idle volts"),
    Command(
        "wire.faces", "f", "Connector", WIRE, "The device's connector from both sides, with its signals.", "connector"
    ),
    Command("wire.bus", "b", "RS-485 bus", WIRE, "Checks a bus from a file: loads, terminators, bias, length.", "bus"),
    Command("wire.wave", "w", "Waveform", WIRE, "Draws characters as they look on the wire.", "waveform"),
    Command("wire.draw", "x", "Draw", WIRE, "Writes the chain with every pin as SVG or PDF.", "draw"),
    Command(
        "match.begin",
        "m",
        "Match",
        MATCH,
        "Listens, then asks harmless questions, until the settings are known.",
        "match",
    ),
    Command("match.stop", "escape", "Stop", MATCH, "Stops the match; the port goes back to its settings.", "stop"),
    Command(
        "match.take", "enter", "Take these settings", MATCH, "Gives the link the settings of the chosen cell.", "take"
    ),
    Command("match.left", "left", "Format before", MATCH, "Reads what was heard at the cell to the left.", ""),
    Command("match.right", "right", "Next format", MATCH, "Reads what was heard at the cell to the right.", ""),
    Command("match.up", "up", "Lower rate", MATCH, "Reads what was heard at the rate above.", ""),
    Command("match.down", "down", "Higher rate", MATCH, "Reads what was heard at the rate below.", ""),
    Command("match.polarity", "p", "Polarity", MATCH, "The map for a normal line, or for an inverted one.", "polarity"),
    Command("match.earlier_bits", "comma", "Bits back", MATCH, "Scrolls the drawn bits back.", ""),
    Command("match.later_bits", "full_stop", "Bits forward", MATCH, "Scrolls the drawn bits forward.", "bits"),
    Command("match.stored", "s", "From the record", MATCH, "Works on what the book has heard on this link.", "record"),
    Command(
        "match.begin_all",
        "M",
        "Match all",
        MATCH,
        "Every link that is not proven, and free ports if wanted, all at once.",
        "",
    ),
    Command("match.wishes", "a", "How to match", MATCH, "Questions, wait for each answer, unit IDs, data bits.", "how"),
    Command("match.draw", "x", "Draw", MATCH, "Writes the map or the bits as SVG or PDF.", "draw"),
    Command("talk.earlier", "up", "Earlier entry", TALK, "The last thing you sent, to send again or edit.", ""),
    Command("talk.later", "down", "Later entry", TALK, "Back towards the newest.", ""),
    Command(
        "talk.line_end",
        "ctrl+n",
        "Line end",
        TALK,
        "What goes out behind each entry: LF, CR, CR LF or nothing.",
        "line end",
    ),
    Command("talk.bytes_shown", "ctrl+t", "Text or hex", TALK, "Shows text, hex, or both side by side.", "text/hex"),
    Command("talk.settings", "ctrl+g", "Line settings", TALK, "Changes the line settings while open.", "settings"),
    Command(
        "talk.open_or_release",
        "ctrl+o",
        "Open or release",
        TALK,
        "Opens the link's port, or lets it go.",
        "open/release",
    ),
    Command(
        "talk.loop", "ctrl+l", "Loop test", TALK, "Sends a pattern; with TXD and RXD joined it must come back.", ""
    ),
    Command("talk.wake", "ctrl+s", "Wake", TALK, "Wakes the device as its sheet says, then asks who it is.", "wake"),
    Command(
        "talk.screen", "ctrl+d", "Screen or exchanges", TALK, "The device's own screen, or who said what.", "screen"
    ),
    Command("talk.by_key", "ctrl+z", "Key by key", TALK, "Every key goes out at once; F5 goes back.", "by key"),
    Command("talk.secret", "ctrl+x", "Secret", TALK, "What is typed now is neither shown nor kept, or is again.", ""),
    Command("talk.more", "ctrl+b", "With this line", TALK, "Break, DTR, RTS, rate, repeat, screen.", "more"),
    Command("talk.send_file", "ctrl+f", "Send a file", TALK, "At a pace that the device can follow.", ""),
    Command("talk.pan_left", "shift+left", "Pan left", TALK, "Of a screen that is wider than the window.", ""),
    Command("talk.pan_right", "shift+right", "Pan right", TALK, "Of a screen that is wider than the window.", ""),
    Command("talk.stop", "escape", "Stop waiting", TALK, "Ends the wait for an answer; what came is kept.", ""),
    Command("talk.page_up", "pageup", "Back", TALK, "Scrolls back; new rows go on being kept.", ""),
    Command("talk.page_down", "pagedown", "Forward", TALK, "Scrolls forward, at the end it follows again.", ""),
    Command("set.read", "r", "Read", SET, "Reads all that the device has; the first reading stays as found.", "read"),
    Command("set.want", "enter", "Want", SET, "What this one is to be; checked before anything is sent.", "want"),
    Command("set.apply", "a", "Apply", SET, "Shows what will be sent, then sets it and reads it back.", "apply"),
    Command("set.undo", "u", "Undo", SET, "Wants everything back as it was found; a applies it.", "undo"),
    Command("set.last", "s", "Make it last", SET, "Stores in the device, or starts it anew.", "store"),
    Command("set.verify", "v", "Did it last?", SET, "After a power cycle: reads, and compares as left.", "lasted?"),
    Command("set.units", "n", "Units", SET, "Which unit IDs answer on this line; chooses one.", "units"),
    Command("set.device", "d", "Which device", SET, "Its sheet, and its unit ID.", "device"),
    Command(
        "set.procedures", "p", "Procedures", SET, "A job prompt by prompt, planned and checked first.", "procedure"
    ),
    Command("set.more", "o", "More", SET, "Image of the device, ratios, word order, counters, checks.", "more"),
    Command("set.stop", "escape", "Stop", SET, "Ends what is under way.", ""),
    Command(
        "keep.filter",
        "f",
        "Filter",
        KEEP,
        "Only rows that hold a text; hex:0d0a for bytes, re:… for a pattern.",
        "filter",
    ),
    Command("keep.search", "slash", "Search", KEEP, "Jumps to the next row that holds a text.", "search"),
    Command("keep.next_match", "n", "Next match", KEEP, "Searches on from here.", "next"),
    Command("keep.which_link", "l", "Which link", KEEP, "One link after the other, then all.", "link"),
    Command("keep.which_direction", "d", "Which direction", KEEP, "Sent, heard, notes, then all.", "direction"),
    Command("keep.bytes_shown", "t", "Text or hex", KEEP, "Shows text, hex, or both side by side.", "text/hex"),
    Command("keep.export", "x", "Export", KEEP, "Writes the record as text, CSV, JSON lines, raw or pcapng.", "export"),
    Command("keep.mark", "m", "Mark", KEEP, "A mark with a word in the record, at this moment.", "mark"),
    Command("keep.jump", "g", "Jump to a time", KEEP, "Puts the cursor on the first row of that time.", ""),
    Command("keep.compare", "c", "Compare", KEEP, "Two spans, each from a mark to the next, side by side.", "compare"),
    Command("keep.tables", "b", "Tables", KEEP, "Lists pulled from devices, with gaps and odd rows; as CSV.", "tables"),
    Command("keep.visit", "v", "Visit folder", KEEP, "Log, bytes, tables, settings, proof, open points.", "visit"),
    Command("keep.clear_filters", "escape", "All rows", KEEP, "Takes all filters away.", "all rows"),
)


def of_context(context: str) -> list[Command]:
    return [command for command in COMMANDS if command.context == context]


def bindings(context: str) -> list[BindingType]:
    return [
        Binding(c.key, c.action, c.title, show=bool(c.footer), priority=c.priority, tooltip=c.help, id=c.id)
        for c in of_context(context)
    ]
