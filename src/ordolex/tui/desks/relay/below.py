"""Relay: the line above the rows, and what is told of the one under the cursor."""

from __future__ import annotations

from rich.text import Text

from ordolex.core.relay.path_runs import PathRun, beside_words, difference
from ordolex.core.relay.plan import RelayPlan
from ordolex.core.text.visible import visible_text
from ordolex.io.net.survey import Host
from ordolex.io.system.clock import mono_s
from ordolex.session.session import Session
from ordolex.tui.desks.relay import drawing
from ordolex.tui.desks.relay.at import Looked, Shown
from ordolex.tui.theme import GOOD, Palette

EMPTY = {
    Shown.RELAYS: "No relay in this book. n joins two ends: a virtual port for a program that knows serial ports only,"
    " a port that is shared on the network, or what you type. s looks for serial servers on a network first.",
    Shown.SAID: "Nothing passed yet, or the relay under the cursor does not run.",
    Shown.BOXES: "No box was found yet. s surveys a network for serial servers.",
    Shown.RUNS: "No measured run yet. m measures the path of the relay; do so before and after a change.",
    Shown.WAY: "i checks how far a device is reached: own address, network, ping, TCP port, page.",
}


def empty_words(session: Session, looked: Looked) -> str:
    """What stands where no row is."""
    if looked.shown is Shown.BOXES and looked.sought and session.network.hosts:
        return f"None of {len(session.network.hosts)} boxes holds {looked.sought!r}. / looks for something else."
    return EMPTY[looked.shown]


def headline(session: Session, looked: Looked, ink: Palette) -> Text:
    head = Text(no_wrap=True)
    counts = {Shown.RELAYS: len(list(session.relays)), Shown.BOXES: len(session.network.hosts)}
    for shown in Shown:
        here = shown is looked.shown
        count = f" {counts[shown]}" if counts.get(shown) else ""
        if shown is Shown.BOXES and looked.sought:
            holding = sum(host.holds(looked.sought) for host in session.network.listed)
            count = f" {holding} of {counts[shown]} with {looked.sought!r}"
        head.append(f"{shown.value}{count}", ink.style("copper" if here else "dim", bold=here))
        head.append("   ")
    head.append("← →", ink.style("dim"))
    progress = session.network.progress
    if progress is not None:
        head.append(
            f"   surveying {session.network.surveyed}: {progress.done} of {progress.hosts} hosts, {progress.tries}"
            f" tries, {progress.left_s:.0f} s left, Esc stops",
            ink.style("copper"),
        )
    elif looked.doing:
        head.append(f"   {looked.doing}", ink.style("copper"))
    for change in session.network.added:
        head.append(f"   {change.address} was added: u takes it back", ink.style("straw"))
    return head


def of_relay(session: Session, plan: RelayPlan | None, width: int, ink: Palette) -> Text:
    if plan is None:
        return Text("n joins two ends   s surveys a network   i checks the path to a device", ink.style("dim"))
    view = session.relays.view(plan.name)
    if view is not None:
        return drawing.layers_text(view, mono_s(), width, ink)
    text = Text(visible_text(f"{plan.name}   {plan.a} ↔ {plan.b}   does not run\n"), ink.style("dim"))
    text.append("Next    ", ink.style("straw"))
    text.append("Enter starts it", ink.style("ink"))
    return text


def of_box(session: Session, host: Host | None, empty: str, width: int, ink: Palette) -> Text:
    if host is None:
        return Text(drawing.wrapped(visible_text(empty), width), ink.style("dim"))
    text = Text()
    for service in host.services:
        text.append(f"{GOOD if service.proven else '◦'} ", ink.style("moss" if service.proven else "straw"))
        text.append(f"{visible_text(service.words)[: width - 2]}\n", ink.style("ink"))
    for kind, name, port in host.announced:
        text.append(f"· announces {kind} {visible_text(name)} at port {port}\n", ink.style("dim"))
    for channel in session.network.channels.get(host.address, []):
        held = f", held by {channel.holder}" if channel.holder else ""
        mode = channel.mode or channel.gives
        words = f"channel {channel.number}   port {channel.port}   {mode}   {channel.line}{held}"
        text.append(f"  {visible_text(words)}\n", ink.style("ice"))
    text.append("Next    ", ink.style("straw"))
    text.append("Enter maps a channel, t all of them; o opens its console; f looks whether it moved", ink.style("ink"))
    return text


def of_run(run: PathRun | None, before: PathRun | None, width: int, ink: Palette) -> Text:
    if run is None:
        return Text(drawing.wrapped(EMPTY[Shown.RUNS], width), ink.style("dim"))
    shown = [before, run] if before is not None and before != run else [run]
    text = drawing.bars(shown, width, ink)
    if len(shown) == 2:
        found = difference(shown[0], shown[1])
        text.append(f"\n{shown[0].name} → {run.name}   ", ink.style("ink", bold=True))
        text.append(found.words() if found is not None else "no round trip to compare", ink.style("ink"))
    else:
        words = "the others are compared with this one" if run == before else "c takes it to compare others with"
        text.append(f"\n{words}", ink.style("dim"))
    rates = [("taken by the near end", run.out_bytes_s), ("came back", run.back_bytes_s)]
    said = [f"{name} {value / 1000:.1f} kB/s" for name, value in rates if value is not None]
    text.append(f"\n{run.how}   {'   '.join(said)}", ink.style("dim"))
    text.append(f"\n{beside_words(run)}" if run.beside else "", ink.style("dim"))
    return text


def of_way(session: Session, ink: Palette) -> Text:
    network = session.network
    text = Text()
    for own in network.own:
        text.append(f"own   {own.text}   {own.hardware}\n", ink.style("dim"))
    if network.proposal is not None:
        change = network.proposal.change
        text.append(f"add        {change.do_text}\n", ink.style("copper"))
        text.append(f"take back  {change.undo_text}\n", ink.style("copper"))
    text.append("Next    ", ink.style("straw"))
    text.append("i checks the path to a device; b proposes an address beside the present one", ink.style("ink"))
    return text
