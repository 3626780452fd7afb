"""From here to there: the story of a frame, hop by hop, or where and why it stops (FM 6.5)."""

from __future__ import annotations

from collections.abc import Iterator
from enum import StrEnum
from typing import NamedTuple

from msgspec import Struct
from msgspec.structs import replace

from inkov.campus import Mode, Origin
from inkov.forwarding.fabric import BridgePort, Fabric
from inkov.forwarding.outlets import outside_name
from inkov.forwarding.path import Goal, State, Way, find_way, may_leave, onward, to_port, to_present
from inkov.forwarding.reach import Flood, Sending, flood
from inkov.forwarding.reasons import Sentence, why_arrives, why_dropped, why_leaves, why_not_leaves
from inkov.forwarding.stations import Interface, bridge_ports_at, ports_on_wire
from inkov.forwarding.view import Form
from inkov.levels import Level
from inkov.vlanset import bits_to_text
from inkov.wiring import End, Link
from inkov.words import counted

__all__ = [
    "Event",
    "Step",
    "Story",
    "follow",
    "follow_to",
    "follow_to_host",
    "follow_to_router",
    "form_of",
    "heard_at",
    "heard_instead",
    "in_another_form",
    "routed_by",
    "tell",
]


class Event(StrEnum):
    """What happens to a frame at a port. ROUTED: a router passes its packet on."""

    SENT = "sent"
    ARRIVES = "arrives"
    LEAVES = "leaves"
    ROUTED = "routed"
    HEARD = "heard"
    STOPS = "stops"


class Step(Struct, frozen=True):
    """One event at one port. `vlan` is the VID on that switch; None where the frame is in none.

    At a routed interface it is in none, or in that of a sub-interface's tag (FM 6.8); `within` is
    the number that its frames have in the model then.
    """

    switch: str
    port: str
    event: Event
    vlan: int | None
    tagged: bool
    because: str
    origin: Origin
    within: int | None = None


class Story(Struct):
    """Whether the frame arrives, by which steps, and for a frame that does not, how far it is heard
    instead.

    `simple`: the way passes no switch twice, so that it can happen within a single tree; false if
    only ways that do are known; None if that could not be settled. `other_form`: it arrives, but
    not in the form that was asked for.
    """

    arrives: bool
    steps: list[Step]
    simple: bool | None = True
    instead: dict[int, int] = {}
    other_form: bool = False


def follow_to(
    fabric: Fabric,
    sendings: list[Sending],
    source: End,
    target: End,
    level: Level,
    tag: int | None = None,
) -> Story:
    """The story from what a host at `source` sends to a port: of all that is on its wire, the one
    that arrives; if it can, in the form of a host that hears one `tag` (0: untagged frames).
    Nothing arrives at a port that is shut.
    """
    # A port that takes nothing: its own reason is the story.
    if not sendings:
        own = fabric.ports[fabric.end_of(source.device, source.port)]
        why = why_dropped(fabric, own, None)
        stops = Step(source.device, source.port, Event.STOPS, None, False, why.says, why.origin)
        return Story(False, [stops])
    ports = (bridge_ports_at if tag is None else ports_on_wire)(fabric, target)
    # The target is shut: the story ends there, if it gets so far.
    if not ports:
        spread = flood(fabric, sendings, level)
        steps = list(_stops_at_shut(fabric, sendings, source, target, level, spread))
        return Story(False, steps, instead=_instead(spread, sendings))
    # A host that hears one form only: try those first.
    forms = [] if tag is None else [(port, _in_form(port, tag, target)) for port in ports]
    for port, heard in forms:
        story = follow(fabric, sendings, source, port, level, heard)
        if story.arrives:
            return story
    # In any form: that it hears the frame otherwise is better told than that it hears nothing.
    stories = [follow(fabric, sendings, source, port, level) for port in ports]
    told = next((story for story in stories if story.arrives), stories[0])
    told.other_form = told.arrives and tag is not None
    return told


def follow_to_host(
    fabric: Fabric, sendings: list[Sending], source: End, target: End, level: Level, tag: int
) -> Story:
    """The same for a host that takes frames with a tag only, or untagged ones (0): a frame that
    gets there in another form stops there.
    """
    story = follow_to(fabric, sendings, source, target, level, tag)
    if not story.other_form:
        return story
    instead = _instead(flood(fabric, sendings, level), sendings)
    return Story(False, in_another_form(fabric, story.steps, tag), story.simple, instead)


def _in_form(port: BridgePort, tag: int, target: End) -> int:
    """The VIDs, as a mask, that a host hears: one that takes untagged frames (0), or a tag."""
    view = port.view
    if port.outer:
        # Who is at the sub-interface itself, as a seat has it, hears what it sends.
        at_it = not tag and End(port.end.device, port.port) == target
        return view.emit if at_it or port.outer == tag else 0
    return view.emit & ~view.untagged & 1 << tag if tag else view.emit & view.untagged


def in_another_form(fabric: Fabric, steps: list[Step], tag: int) -> list[Step]:
    """A way to a port at which a host that takes frames with one tag (0: without) gets nothing."""
    *way, last = steps
    takes = f"frames with tag {tag}" if tag else "untagged frames"
    says = f"it leaves there {form_of(fabric, last)}, and the host takes {takes}: {last.because}"
    return [*way, replace(last, event=Event.STOPS, because=says)]


def form_of(fabric: Fabric, step: Step) -> str:
    """How a frame leaves by the port of a step, in words: with which tag, or without."""
    stated = fabric.ports[End(step.switch, step.port)].stated
    sent = stated.outer.value if stated.outer is not None and not stated.implied else step.vlan
    return f"tagged {sent}" if step.tagged else "untagged"


def follow_to_router(
    fabric: Fabric, sendings: list[Sending], source: End, router: Interface
) -> Story:
    """The story from what an honest host at `source` sends to a routed interface."""
    level, bridge, hears = Level.HONEST, router.bridge, router.hears
    if not sendings:
        return follow_to(fabric, sendings, source, source, level)
    way = find_way(fabric, sendings, to_present(bridge, hears), level)
    if way is not None:
        return Story(True, list(tell(fabric, way)), way.simple)
    spread = flood(fabric, sendings, level)
    # It does not get to the router's bridge at all.
    there = spread.present(bridge)
    if not there:
        goal = router.device, bridge
        steps = list(_towards(fabric, sendings, source, goal, hears, spread))
        return Story(False, steps, instead=_instead(spread, sendings))
    # It gets there in a VLAN that the router does not take.
    way = find_way(fabric, sendings, _on(bridge), level)
    assert way is not None
    says = f"it is in VLAN {way.end.vid} there, and {router.name} takes VLAN {bits_to_text(hears)}"
    stops = Step(router.device, router.name, Event.STOPS, way.end.vid, False, says, router.origin)
    steps = [*tell(fabric, way), stops]
    return Story(False, steps, instead=_instead(spread, sendings))


def follow(
    fabric: Fabric,
    sendings: list[Sending],
    source: End,
    target: BridgePort,
    level: Level,
    heard: int = -1,
) -> Story:
    """The story from what a host at `source` sends (`sendings`) to bridge port `target`, where the
    VIDs of `heard` count.
    """
    goal = to_port(fabric, target.number, level)
    way = find_way(
        fabric, sendings, lambda state: bool(heard >> state.vid & 1) and goal(state), level
    )
    if way is not None:
        return Story(True, [*tell(fabric, way), heard_at(fabric, target, way.end.vid)], way.simple)
    spread = flood(fabric, sendings, level)
    steps = list(_stops(fabric, sendings, source, target, level, spread))
    return Story(False, steps, instead=_instead(spread, sendings))


def heard_at(fabric: Fabric, target: BridgePort, vid: int) -> Step:
    """That a host hears a frame of a VLAN at a port."""
    # A sub-interface sends with its tag, whatever the VLAN is inside.
    if target.outer and not fabric.is_implied(target):
        return replace(_sent_by_sub(fabric, target, vid), event=Event.HEARD)
    tagged = bool(target.outer) or not target.view.untagged >> vid & 1
    why = why_leaves(fabric, fabric.resolved(target), vid, tagged)
    return Step(target.end.device, target.port, Event.HEARD, vid, tagged, why.says, why.origin)


def _instead(spread: Flood, sendings: list[Sending]) -> dict[int, int]:
    """VLAN -> how many host ports hear the frame in it."""
    instead: dict[int, int] = {}
    for port, vid, _ in spread.heard():
        # The port that sent it does not count.
        if port.number not in {sending.port for sending in sendings}:
            instead[vid] = instead.get(vid, 0) + 1
    return dict(sorted(instead.items()))


def tell(fabric: Fabric, way: Way) -> Iterator[Step]:
    """A way as steps: sent or arriving at the first switch, leaving and arriving at each link."""
    state = way.start
    # Without a port, the device itself sends.
    if state.port >= 0:
        port = fabric.bridge_ports[state.port]
        tagged = way.tagged or port.view.pvid != state.vid
        yield _arrival(fabric, port, state.vid, tagged, Event.SENT, False)
    else:
        inside = fabric.bridges[state.bridge]
        says = (
            f"the device itself sends in VLAN {state.vid}"
            if not inside.routed
            else "the routed port sends it"
        )
        yield Step(
            inside.device,
            inside.routed,
            Event.SENT,
            state.vid,
            False,
            says,
            fabric.device(inside.device).origin,
        )
    for hop in way.hops:
        leaves, arrives = fabric.bridge_ports[hop.leaves], fabric.bridge_ports[hop.arrives.port]
        step = _departure(fabric, leaves, state.vid)
        # The outer tag was taken off: the story tells which one shows now.
        if hop.hidden:
            says = f"{step.because}; the tag hidden behind, {hop.arrives.vid}, is now the first"
            step = replace(step, because=says)
        yield step
        yield _arrival(
            fabric, arrives, hop.arrives.vid, step.tagged or hop.hidden, Event.ARRIVES, hop.hidden
        )
        state = hop.arrives


def _departure(fabric: Fabric, port: BridgePort, vid: int) -> Step:
    """That a frame leaves by a port."""
    implied = fabric.is_implied(port)
    # A sub-interface sends with its tag, whatever the VLAN is inside.
    if fabric.bridges[port.bridge].routed or (port.outer and not implied):
        return _sent_by_sub(fabric, port, vid)
    tagged = implied or not port.view.untagged >> vid & 1
    why = why_leaves(fabric, fabric.ports[port.end], vid, tagged)
    plain = tagged or port.view.form is Form.UNAWARE
    says = why.says if plain else f"{why.says}, so it leaves untagged"
    return Step(port.end.device, port.port, Event.LEAVES, vid, tagged, says, why.origin)


def _arrival(
    fabric: Fabric, port: BridgePort, vid: int, tagged: bool, event: Event, hidden: bool
) -> Step:
    resolved = fabric.resolved(port)
    vlan: int | None = vid
    # At a routed port the frame is in no VLAN of the switch.
    if fabric.bridges[port.bridge].routed:
        vlan, tagged = port.outer or None, bool(port.outer)
        taken = (
            f"the router's sub-interface takes tag {vlan}" if vlan else "the routed port takes it"
        )
        why = Sentence(taken, (resolved.stated.outer or resolved.stated).origin)
    elif fabric.is_implied(port):
        # The implied port of an unaware bridge is that port, as its host sees it.
        why = why_arrives(fabric, fabric.ports[port.end], vid, tagged=True)
    elif port.outer:
        assert resolved.stated.outer is not None
        says = f"the sub-interface takes tag {port.outer}"
        # Called inside as outside: one number is enough.
        if outside_name(fabric, port.bridge, vid) == port.outer:
            vlan = port.outer
        else:
            says += f"; it is VLAN {vid} inside"
        why, tagged = Sentence(says, resolved.stated.outer.origin), True
    elif tagged and not port.view.admit >> vid & 1:
        # Only at the hostile level is a frame taken that the port does not admit.
        why = Sentence(
            "a host that asks gets this VLAN here", resolved.stated.origin
        )  # lured (FM 4.4)
    else:
        why = why_arrives(fabric, resolved, vid, tagged)
    says = f"the hidden tag shows: {why.says}" if hidden else why.says
    within = None if vlan == vid else vid
    return Step(port.end.device, port.port, event, vlan, tagged, says, why.origin, within)


def _stops(
    fabric: Fabric,
    sendings: list[Sending],
    source: End,
    target: BridgePort,
    level: Level,
    spread: Flood,
) -> Iterator[Step]:
    """The way as far as it leads towards the target, and what stops the frame there."""
    # It gets to the target's bridge, and is not sent there.
    if spread.present(target.bridge):
        # Better a VLAN that the port would send; any other still tells where it stops.
        wanted = target.view.emit & spread.present(target.bridge)
        way = find_way(fabric, sendings, _on(target.bridge, wanted or -1), level)
        if way is not None:
            yield from tell(fabric, way)
            yield _not_sent(fabric, way.end, target)
            return
    yield from _towards(
        fabric, sendings, source, (target.end.device, target.bridge), target.view.emit, spread
    )


def _stops_at_shut(
    fabric: Fabric,
    sendings: list[Sending],
    source: End,
    target: End,
    level: Level,
    spread: Flood,
) -> Iterator[Step]:
    """The way as far as it leads towards a port that is shut, and there."""
    own = fabric.ports[fabric.end_of(target.device, target.port)]
    bridge, wanted = next(iter(_bridges_at(fabric, own.end)), None), own.free.emit
    there = spread.present(bridge) if bridge is not None else 0
    # The switch with the shut port is not even reached.
    if bridge is None or not there:
        yield from _towards(fabric, sendings, source, (target.device, bridge), wanted, spread)
        return
    # Better a VLAN that the port would send; any other still tells where it stops.
    way = find_way(fabric, sendings, _on(bridge, wanted & there or there), level)
    assert way is not None
    yield from tell(fabric, way)
    why = why_not_leaves(fabric, own, way.end.vid)
    at = own.end
    yield Step(at.device, at.port, Event.STOPS, way.end.vid, False, why.says, why.origin)


def _towards(
    fabric: Fabric,
    sendings: list[Sending],
    source: End,
    goal: tuple[str, int | None],
    wanted: int,
    spread: Flood,
) -> Iterator[Step]:
    """The way as far as it leads towards a bridge (of a device) that the frame does not get to, and
    the link that it does not cross: one that is up, or if there is none, one that is shut. `wanted`
    are the VIDs that would do there.
    """
    device, bridge = goal
    gap = None
    if bridge is not None:
        # A link that is up and does not pass the VLAN says more than one that is shut.
        gap = _gap(fabric, spread, bridge, up=True) or _gap(fabric, spread, bridge, up=False)
    # No link leads there at all: the whole way that it takes is told.
    if gap is None:
        way = find_way(fabric, sendings, lambda state: True, spread.level)
        if way is not None:
            yield from tell(fabric, way)
        says = f"no link leads on towards {device}"
        origin = fabric.device(source.device).origin
        yield Step(source.device, source.port, Event.STOPS, None, False, says, origin)
        return
    way = find_way(
        fabric, sendings, _on(gap.before, wanted & spread.present(gap.before) or -1), spread.level
    )
    assert way is not None
    yield from tell(fabric, way)
    yield from _block(fabric, way.end, gap, spread.level)


def _on(bridge: int, vids: int = -1) -> Goal:
    return lambda state: state.bridge == bridge and bool(vids >> state.vid & 1)


class _Gap(NamedTuple):
    """A link that a frame does not cross: the bridge before it, its number, and its ends."""

    before: int
    link: int
    near: End
    far: End


def _gap(fabric: Fabric, spread: Flood, goal: int, *, up: bool) -> _Gap | None:
    """The first link towards bridge `goal` that the frame does not cross; of links that are up, or
    of all.
    """
    into: dict[int, list[_Gap]] = {}
    for number, link in enumerate(fabric.wiring.links):
        # Of links that are up first; the search goes from the goal towards the frame.
        if fabric.link_up[number] or not up:
            for near, far in _both_ways(link):
                for one in _bridges_at(fabric, near):
                    for other in _bridges_at(fabric, far):
                        into.setdefault(other, []).append(_Gap(one, number, near, far))
    seen, queue = {goal}, [goal]
    for bridge in queue:
        for gap in into.get(bridge, ()):
            # The first link from a switch that the frame gets to.
            if spread.present(gap.before):
                return gap
            if gap.before not in seen:
                seen.add(gap.before)
                queue.append(gap.before)
    return None


def _bridges_at(fabric: Fabric, end: End) -> list[int]:
    """The bridges that frames of an end get to, its own first; if it is shut, that of its port."""
    if numbers := fabric.at.get(end):
        return [fabric.bridge_ports[number].bridge for number in numbers]
    # Shut: the bridges that its port and its sub-interfaces would belong to.
    device = fabric.device(end.device)
    below = [(port.name, port.parent) for port in device.ports.values() if port.parent is not None]
    names = [end.port, *(sub for sub, parent in below if parent.value == end.port)]
    homes = {name: bridge.name for bridge in device.bridges.values() for name in bridge.ports}
    keys = dict.fromkeys((end.device, homes.get(name, "")) for name in names)
    return [fabric.bridge_of[key] for key in keys if key in fabric.bridge_of]


def _both_ways(link: Link) -> tuple[tuple[End, End], tuple[End, End]]:
    return (link.a, link.b), (link.b, link.a)


def _sent_by_sub(fabric: Fabric, sub: BridgePort, vid: int) -> Step:
    """That a sub-interface, or a routed port (which has no tag), sends a frame."""
    routed, tag = bool(fabric.bridges[sub.bridge].routed), sub.outer or None
    plain = not routed and outside_name(fabric, sub.bridge, vid) != tag
    vlan = vid if plain else tag
    says = f"the {'router' if routed else 'sub-interface'} sends it" + (
        f", tagged {tag}" if tag else ""
    )
    origin = fabric.resolved(sub).stated.origin
    within = None if vlan == vid else vid
    return Step(sub.end.device, sub.port, Event.LEAVES, vlan, bool(tag), says, origin, within)


def _block(fabric: Fabric, state: State, gap: _Gap, level: Level) -> Iterator[Step]:
    """What stops a frame on a bridge at one of the two ends of a link."""
    at = [fabric.bridge_ports[number] for number in fabric.at.get(gap.near, ())]
    ports = sorted((port for port in at if port.bridge == state.bridge), key=lambda p: p.outer)
    # This end is shut.
    if not ports:
        own, vid = fabric.ports[gap.near], state.vid
        why = why_not_leaves(fabric, own, vid)
        yield Step(gap.near.device, gap.near.port, Event.STOPS, vid, False, why.says, why.origin)
        return
    sending = [port for port in ports if port.view.emit >> state.vid & 1]
    sender = next((port for port in sending if may_leave(fabric, state, port)), None)
    if sender is None:
        yield _not_sent(fabric, state, next(iter(sending or ports)))
        return
    leaves = _departure(fabric, sender, state.vid)
    yield leaves
    tag = (sender.outer or state.vid) if leaves.tagged else None
    crossing = sender.number, gap.link
    hops = [hop for hop in onward(fabric, state, level) if (hop.leaves, hop.link) == crossing]
    taken = [hop.arrives.port for hop in hops]
    # What has the tag of a sub-interface goes there, and not to the port (FM 3.9).
    there = taken or [n for n in fabric.at.get(gap.far, ()) if fabric.bridge_ports[n].outer == tag]
    into = fabric.bridge_ports[there[0]] if there else None
    far = (
        fabric.ports[gap.far] if into is None or fabric.is_implied(into) else fabric.resolved(into)
    )
    why = why_dropped(fabric, far, None if far.stated.outer is not None else tag)
    # A VLAN ends at a routed port, whatever the port takes.
    if far.up and far.mode is Mode.ROUTED:
        why = Sentence(f"{far.end} is routed: the VLAN ends there", far.stated.origin)
    elif taken:
        says = f"{far.end} takes it, into another bridge of {far.end.device}"
        why = Sentence(says, far.stated.origin)
    device, name = far.end.device, far.end.port
    yield Step(device, name, Event.STOPS, tag, tag is not None, why.says, why.origin)


def _not_sent(fabric: Fabric, state: State, port: BridgePort) -> Step:
    """That a frame on a bridge does not leave by a port of it."""
    own = fabric.resolved(port)
    why = why_not_leaves(fabric, own, state.vid)
    # The VLAN would leave: it is the way it came that stops it.
    if port.view.emit >> state.vid & 1:
        says = f"{own.end} does not send it: it came by this port, or both ports are protected"
        why = Sentence(says, own.stated.origin)
    vlan: int | None = state.vid
    if fabric.bridges[state.bridge].routed:
        vlan = port.outer or None
    within = None if vlan == state.vid else state.vid
    device, name = port.end.device, port.port
    return Step(device, name, Event.STOPS, vlan, False, why.says, why.origin, within)


def routed_by(out: Interface, says: str) -> Step:
    """That a router passes a packet on by an interface."""
    within = None if out.vlan == out.vid else out.vid
    return Step(out.device, out.name, Event.ROUTED, out.vlan, False, says, out.origin, within)


def heard_instead(instead: dict[int, int]) -> str:
    """In words, for a frame that does not arrive: how many ports hear it, in which VLANs."""
    if not instead:
        return "no host port hears it"
    total = sum(instead.values())
    mask = sum(1 << vid for vid in instead)
    return f"heard instead by {counted(total, 'host port')}, in VLAN {bits_to_text(mask)}"
