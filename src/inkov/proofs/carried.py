"""Is a VLAN on some switches, and on some links, only? Judged by the closure of all its frames."""

from __future__ import annotations

from collections.abc import Iterable
from fnmatch import fnmatchcase
from functools import partial

from msgspec.structs import replace

from inkov.campus import natural
from inkov.forwarding import BridgePort, Fabric
from inkov.forwarding.assumptions import passed_by
from inkov.forwarding.fabric import Crossing, Translation
from inkov.forwarding.follow import Event, Step, tell
from inkov.forwarding.path import State, Way, find_way, may_leave
from inkov.forwarding.reach import Flood, Sending, flood, views_at
from inkov.forwarding.reasons import why_arrives, why_leaves
from inkov.levels import Level
from inkov.plan import Claim
from inkov.proofs.answers import Answer, Contained, Escaped, Unsettled
from inkov.proofs.certificate import certified, way_of
from inkov.proofs.leaks import sendings_of
from inkov.proofs.search import Search
from inkov.proofs.seats import Seat
from inkov.proofs.verdict import Blame, decisive
from inkov.vlanset import bit, union

__all__ = ["judge_carried"]


class _Bounds:
    """Where a VLAN may be: on bridges of switches that `on` fits, over links one of whose ends
    `over` fits.
    """

    def __init__(
        self, fabric: Fabric, on: list[str] | None, over: list[str] | None, level: Level
    ) -> None:
        self.level = level
        self.beyond = {
            number
            for number, inside in enumerate(fabric.bridges)
            if on is not None and not any(fnmatchcase(inside.device, pattern) for pattern in on)
        }
        self.forbidden: dict[
            int, list[BridgePort]
        ] = {}  # bridge -> ports to links that it may not cross
        # Without `over` any link may be crossed.
        for port in fabric.bridge_ports if over is not None else ():
            fars = fabric.wiring.around(port.end)  # on one wire there may be several (FM 4.9)
            ends = {str(end) for end in (port.end, *fars) if fars}
            # A host port has no link, so nothing is crossed there.
            if ends and not any(
                fnmatchcase(end, pattern) for end in ends for pattern in over or ()
            ):
                self.forbidden.setdefault(port.bridge, []).append(port)

    def crossed(self, fabric: Fabric, state: State) -> BridgePort | None:
        """The port to a link it may not cross by which a frame leaves."""
        for port in self.forbidden.get(state.bridge, ()):
            emitted = union(view.emit for view in views_at(port, self.level))
            # What came in by the port does not leave by it again.
            if emitted >> state.vid & 1 and may_leave(fabric, state, port):
                return port
        return None

    def is_beyond(self, fabric: Fabric, state: State) -> bool:
        """True for a frame that is where it may not be, or leaves for there."""
        return state.bridge in self.beyond or self.crossed(fabric, state) is not None

    def left(self, spread: Flood, but: tuple[int, int] = (-1, 0)) -> list[str]:
        """The switches and link ends where frames are that may not be there; VIDs of `but` at its
        port aside.
        """
        fabric = spread.fabric
        there = {fabric.bridges[n].device for n in self.beyond if spread.present(n)}
        over = {
            str(port.end)
            for port in (port for ports in self.forbidden.values() for port in ports)
            # The VIDs whose crossing is tried without are left aside.
            for leaving in [union(spread.leaving(port, v) for v in views_at(port, self.level))]
            if leaving & ~(but[1] if port.number == but[0] else 0)
        }
        return [*sorted(there, key=natural), *sorted(over, key=natural)]


def judge_carried(fabric: Fabric, seats: Iterable[Seat], claim: Claim, search: Search) -> Answer:
    """Where frames of a VLAN get to, beyond the switches and links that a claim allows."""
    carried = claim.carried_by
    assert carried is not None
    bounds = _Bounds(fabric, carried.on, carried.over, search.level)
    members = (seat for seat in seats if seat.vid in carried.vlans)
    # A gateway sends frames of its VLAN as hosts do.
    sendings = [
        *sendings_of(fabric, members, search.level),
        *(
            Sending(-1, bit(gateway.vid), fabric.bridge_of[device.name, gateway.bridge])
            for device, gateway in fabric.gateways()
            if gateway.vid in carried.vlans
        ),
    ]
    spread = flood(fabric, sendings, search.level)
    search.assume_about(passed_by(spread))
    places = bounds.left(spread)
    if not places:
        search.assume_about(passed_by(spread), stopped=True)
        stated = certified(fabric, spread, frozenset())
        return Contained(carried=carried, certificate={"closures": [stated]})
    way = find_way(fabric, sendings, partial(bounds.is_beyond, fabric), search.level)
    assert way is not None
    # Only by passing a switch twice, which a tree would cut: not settled.
    if not way.simple:
        return Unsettled(carried=carried, places=places)
    # On a switch that is allowed, so it is the link that is not.
    out = bounds.crossed(fabric, way.end) if way.end.bridge not in bounds.beyond else None
    steps = [*tell(fabric, way), *([_leaving(fabric, out, way.end.vid)] if out else [])]
    blame = _blamed(fabric, sendings, bounds, way, out, search.level)
    certificate = {"way": way_of(steps)}
    return Escaped(
        carried=carried, places=places, steps=steps, certificate=certificate, blame=blame
    )


def _leaving(fabric: Fabric, out: BridgePort, vid: int) -> Step:
    """The last step of a way that ends on a link where the VLAN may not be."""
    tagged = bool(out.outer) or not out.view.untagged >> vid & 1
    why = why_leaves(fabric, fabric.resolved(out), vid, tagged)
    return Step(out.end.device, out.port, Event.LEAVES, vid, tagged, why.says, why.origin)


def _blamed(
    fabric: Fabric,
    sendings: list[Sending],
    bounds: _Bounds,
    way: Way,
    out: BridgePort | None,
    level: Level,
) -> list[Blame]:
    """The lines that put a VLAN where it may not be, each tried: a member or gateway there, and the
    links crossed.
    """
    blame: list[Blame] = []
    start, vid = way.start, way.start.vid
    # The frame starts where it may not be: a member or gateway is to blame.
    if start.bridge in bounds.beyond:
        others = [
            sending
            for sending in sendings
            if (sending.port, sending.bridge) != (start.port, start.bridge)
        ]
        alone = not bounds.left(flood(fabric, others, level))
        # A port number below 0 stands for a gateway.
        if start.port >= 0:
            own = fabric.resolved(fabric.bridge_ports[start.port])
            why = why_arrives(fabric, own, vid, own.view.pvid != vid)
            blame.append(Blame(own.end.device, own.end.port, why.says, why.origin, alone))
        for device, gateway in fabric.gateways() if start.port < 0 else ():
            if (fabric.bridge_of[device.name, gateway.bridge], gateway.vid) == (start.bridge, vid):
                name = gateway.name or f"VLAN {vid}"
                blame.append(
                    Blame(device.name, name, f"its gateway in VLAN {vid}", gateway.origin, alone)
                )
    for hop in way.hops:
        # The link as if the VLAN did not leave by it: is it where it may be, then?
        without = [_without(crossing, hop.link, vid) for crossing in fabric.crossings[hop.leaves]]
        less = replace(fabric, crossings={**fabric.crossings, hop.leaves: without})
        alone = not bounds.left(flood(less, sendings, level))
        near, far = (
            fabric.resolved(fabric.bridge_ports[hop.leaves]),
            fabric.resolved(fabric.bridge_ports[hop.arrives.port]),
        )
        tagged = not near.view.untagged >> vid & 1
        leaves = why_leaves(fabric, near, vid, tagged)
        blame.append(Blame(near.end.device, near.end.port, leaves.says, leaves.origin, alone))
        vid = hop.arrives.vid
        arrives = why_arrives(fabric, far, vid, tagged or hop.hidden)
        blame.append(Blame(far.end.device, far.end.port, arrives.says, arrives.origin, alone))
    # The last link is crossed by no hop: the way ends before it.
    if out is not None:
        without = [
            _without(crossing, crossing.link, vid)
            for crossing in fabric.crossings.get(out.number, ())
        ]
        spread = flood(
            replace(fabric, crossings={**fabric.crossings, out.number: without}), sendings, level
        )
        why = why_leaves(fabric, fabric.resolved(out), vid, not out.view.untagged >> vid & 1)
        alone = not bounds.left(spread, (out.number, 1 << vid))
        blame.append(Blame(out.end.device, out.port, why.says, why.origin, alone))
    return decisive(blame)


def _without(crossing: Crossing, link: int, vid: int) -> Crossing:
    """One direction of a link as it would be if the VLAN did not leave by it."""
    # Other links at the port pass as before.
    if crossing.link != link:
        return crossing
    bit = 1 << vid

    def kept(translations: tuple[Translation, ...]) -> tuple[Translation, ...]:
        return tuple(
            translation._replace(leaves=translation.leaves & ~bit) for translation in translations
        )

    return replace(
        crossing,
        same=tuple((to, mask & ~bit) for to, mask in crossing.same),
        translations=kept(crossing.translations),
        hidden=kept(crossing.hidden),
        lured=tuple((to, mask & ~bit) for to, mask in crossing.lured),
    )
