"""A deliberately simple simulator: it moves single frames, one port at a time, by section 3 of the
forwarding model.

It shares nothing with the engine but the campus model: defaults, negotiation, bundles and the
meaning of each kind of port are written out again, in the plainest way. It is slow, and that is its
merit.
"""

from __future__ import annotations

from collections.abc import Callable
from functools import wraps
from typing import Any, NamedTuple, TypeVar

from inkov.campus import Accept, Campus, Device, Mode, Negotiation, Port, PortKind, Private

ANY = range(1, 4095)
UNTAGGED = 5000  # what a frame without a tag is in where tags are nobody's business
Place = tuple[str, str]  # device, port


class At(NamedTuple):
    """A frame on a bridge: it came in by `port`, in VLAN `vid`."""

    device: str
    port: str
    vid: int


class Heard(NamedTuple):
    device: str
    port: str
    vid: int
    tagged: bool


def said(fact: Any, otherwise: Any) -> Any:
    return otherwise if fact is None else fact.value


Answer = TypeVar("Answer")


def kept(asked: Callable[[Any, Place], Answer]) -> Callable[[Any, Place], Answer]:
    """A question about a port whose answer is kept: no campus changes under a simulator."""
    name = f"kept {asked.__name__}"

    @wraps(asked)
    def answer(self: Any, place: Place) -> Answer:
        answers: dict[Place, Answer] = self.__dict__.setdefault(name, {})
        if place not in answers:
            answers[place] = asked(self, place)
        return answers[place]

    return answer


class Simulator:
    def __init__(self, campus: Campus) -> None:
        self.campus = campus
        self.named: dict[str, set[int]] = {}
        self.cables: dict[Place, set[Place]] = {}
        wires: list[set[Place]] = []
        for cable in campus.cables:  # cables that meet at a port are one wire
            wire = {(cable.device, cable.port), (cable.far_device, cable.far_port)}
            for other in [other for other in wires if other & wire]:
                wires.remove(other)
                wire |= other
            wires.append(wire)
        for wire in wires:
            ends = {place: self.forwards_as(*place) for place in wire}
            for end in ends.values():
                far = set(ends.values()) - {end}
                self.cables.setdefault(end, set()).update(far)
        self.attended = self.with_somebody(wires)

    def with_somebody(self, wires: list[set[Place]]) -> set[Place]:
        """The ends of wires that a host is on besides."""
        found: set[Place] = set()
        places = [(host.device, host.port) for host in self.campus.hosts]
        below = [(device, said(self.port((device, port)).parent, port)) for device, port in places]
        work = [self.forwards_as(*place) for place in below]
        while work:
            end = work.pop()
            if end not in found:
                found.add(end)
                for wire in wires:
                    ends = {self.forwards_as(*place) for place in wire}
                    work += ends if end in ends else ()
        return found

    # --- what a port is ---------------------------------------------------------------------------

    def port(self, place: Place) -> Port:
        return self.campus.devices[place[0]].ports[place[1]]

    def forwards_as(self, device: str, name: str) -> Place:
        ports = self.campus.devices[device].ports
        bundle = said(ports[name].bundle, None)
        if bundle in ports and bundle != name and ports[bundle].bundle is None:
            return device, bundle
        return device, name

    @kept
    def is_up(self, place: Place) -> bool:
        port = self.port(place)
        if not said(port.enabled, True) or self.forwards_as(*place) != place:
            return False
        if port.kind is PortKind.SUB:
            return self.is_up_or_member((place[0], port.parent.value))  # type: ignore[union-attr]
        if port.kind is PortKind.BUNDLE:
            members = [
                p
                for p in self.campus.devices[place[0]].ports.values()
                if said(p.bundle, None) == port.name
            ]
            return not members or any(said(p.enabled, True) for p in members)
        return True

    def is_up_or_member(self, place: Place) -> bool:
        return said(self.port(place).enabled, True) and (
            self.port(place).kind is not PortKind.BUNDLE or self.is_up(place)
        )

    @kept
    def wish(self, place: Place) -> str:
        port = self.port(place)
        mode = said(port.mode, Mode.ACCESS)
        negotiation = said(port.negotiation, Negotiation.SILENT)
        if mode in (Mode.ACCESS, Mode.TRUNK) and negotiation in (
            Negotiation.PASSIVE,
            Negotiation.ACTIVE,
        ):
            return str(negotiation)
        if mode is Mode.TRUNK:
            return "announcing" if negotiation is Negotiation.ANNOUNCING else "silent"
        return "fixed"

    @kept
    def mode(self, place: Place) -> Mode:
        wish = self.wish(place)
        if wish not in ("passive", "active"):
            return said(self.port(place).mode, Mode.ACCESS)  # type: ignore[no-any-return]
        far = [self.wish(other) for other in self.cables.get(place, ())]
        asked = "announcing" in far or "active" in far or (wish == "active" and "passive" in far)
        return Mode.TRUNK if asked else Mode.ACCESS

    @kept
    def bridge(self, place: Place) -> str:
        if said(self.port(place).mode, None) is Mode.ROUTED:
            return f"routed {place[1]}"
        device = self.campus.devices[place[0]]
        return next((b.name for b in device.bridges.values() if place[1] in b.ports), "")

    def has(self, device: Device, vid: int) -> bool:
        if device.vlans is not None:
            row = device.vlans.get(vid)
            return said(row.active, True) if row else vid == 1
        if device.name not in self.named:
            self.named[device.name] = self.names(device)
        return vid in self.named[device.name]

    def names(self, device: Device) -> set[int]:
        vids = {1} | {gateway.vid for gateway in device.gateways}
        for p in device.ports.values():
            vids |= {said(getattr(p, a), None) for a in ("voice_vlan", "primary", "secondary")} - {
                None
            }
            vids |= {said(p.access_vlan, 1), said(p.native_vlan, 1), said(p.pvid, 1)} - {None}
            for listed in ("withheld", "tagged", "untagged", "secondaries"):
                vids |= set(said(getattr(p, listed), None) or ())
            if said(p.mode, Mode.ACCESS) is Mode.TRUNK:
                vids |= set(said(p.allowed, ANY))
            if said(p.mode, Mode.ACCESS) is Mode.UNAWARE:
                vids |= set(ANY)
        return vids

    # --- section 3 --------------------------------------------------------------------------------

    def takes(self, place: Place, tag: int | None, mode: Mode) -> int | None:
        """The VLAN a frame gets that arrives at a port; None if the port drops it."""
        p = self.port(place)
        device = self.campus.devices[place[0]]
        vid: int | None = None
        if mode is Mode.UNAWARE:
            return UNTAGGED if tag is None else tag
        if mode is Mode.ACCESS:
            vid = (
                said(p.access_vlan, 1)
                if tag is None
                else tag
                if tag == said(p.voice_vlan, None)
                else None
            )
        elif mode is Mode.TRUNK:
            allowed = said(p.allowed, ANY)
            vid = said(p.native_vlan, 1) if tag is None else tag
            vid = vid if vid is not None and vid in allowed else None
        elif mode is Mode.GENERAL:
            accept = said(p.accept, Accept.ALL)
            if tag is None:
                vid = None if accept is Accept.TAGGED else said(p.pvid, 1)
            else:
                vid = None if accept is Accept.UNTAGGED else tag
            member = set(said(p.tagged, ())) | self.untagged(p)
            if vid is not None and said(p.ingress_filtering, False) and vid not in member:
                vid = None
        elif mode is Mode.PRIVATE_HOST:
            vid = said(p.secondary, None) if tag is None and p.primary else None
        elif mode is Mode.PROMISCUOUS:
            vid = said(p.primary, None) if tag is None else None
        elif mode is Mode.ROUTED:
            return 1 if tag is None else None
        if self.registers(place, tag):
            vid = tag
        return vid if vid is not None and self.has(device, vid) else None

    def untagged(self, p: Port) -> set[int]:
        listed = said(p.untagged, None)
        pvid = said(p.pvid, 1)
        return set(listed) if listed is not None else {pvid} if pvid else set()

    def sends(self, place: Place, vid: int, mode: Mode) -> bool | None:
        """How a frame in a VLAN leaves by a port: tagged (True), untagged (False), not at all
        (None).
        """
        p = self.port(place)
        device = self.campus.devices[place[0]]
        if mode is Mode.ROUTED:
            return False if vid == 1 else None
        if mode is Mode.UNAWARE:
            return vid != UNTAGGED
        if not self.has(device, vid):
            return None
        how: bool | None = None
        if mode is Mode.ACCESS:
            how = (
                False
                if vid == said(p.access_vlan, 1)
                else True
                if vid == said(p.voice_vlan, None)
                else None
            )
        elif mode is Mode.TRUNK:
            if vid in said(p.allowed, ANY) and vid not in said(p.withheld, ()):
                how = said(p.native_tagged, False) if vid == said(p.native_vlan, 1) else True
        elif mode is Mode.GENERAL:
            if vid not in said(p.withheld, ()):
                how = (
                    False
                    if vid in self.untagged(p)
                    else True
                    if vid in said(p.tagged, ())
                    else None
                )
        elif mode is Mode.PRIVATE_HOST and p.primary and p.secondary:
            row = (device.vlans or {}).get(p.secondary.value)
            isolated = row is not None and said(row.private, None) is Private.ISOLATED
            how = (
                False
                if vid == p.primary.value or (vid == p.secondary.value and not isolated)
                else None
            )
        elif mode is Mode.PROMISCUOUS and p.primary:
            how = False if vid == p.primary.value or vid in said(p.secondaries, ()) else None
        if how is None and self.registers(place, vid):
            how = True
        return how

    def registers(self, place: Place, vid: int | None) -> bool:
        """True if a VLAN may be registered at a port: by somebody hostile there or further on, or
        since the port at the other end takes part as well.
        """
        p = self.port(place)
        if p.kind is not PortKind.SUB:
            fars = self.cables.get(place, ())
            both = any(said(self.port(far).registration, False) for far in fars)
        else:
            both = False
        may = said(p.registration, False) and (self.hostile or both)
        return may and vid is not None and vid not in said(p.forbidden, ())

    def is_host(self, place: Place) -> bool:
        p = self.port(place)
        end = (
            self.forwards_as(place[0], p.parent.value)
            if p.kind is PortKind.SUB and p.parent
            else place
        )
        return end not in self.cables or end in self.attended

    def modes(self, place: Place) -> set[Mode]:
        """The modes a port can be in: at a host port that negotiates, a hostile host chooses."""
        mode = self.mode(place)
        if self.hostile and self.is_host(place) and self.wish(place) in ("passive", "active"):
            return {mode, Mode.TRUNK}
        return {mode}

    def subs(self, end: Place) -> dict[int, Place]:
        found: dict[int, Place] = {}
        for p in self.campus.devices[end[0]].ports.values():
            if p.kind is PortKind.SUB and p.parent and p.outer and self.is_up((end[0], p.name)):
                if self.forwards_as(end[0], p.parent.value) != end:
                    continue
                found.setdefault(p.outer.value, (end[0], p.name))
        return found

    def arrive(self, end: Place, tag: int | None) -> set[At]:
        """Where a frame ends up that comes in at an end, from the wire."""
        subs = self.subs(end)
        place, tag = (subs[tag], None) if tag in subs else (end, tag)
        if not self.is_up(place):
            return set()
        vids = {self.takes(place, tag, mode) for mode in self.modes(place)}
        return {At(*place, vid) for vid in vids if vid is not None}

    def spread(self, at: At) -> set[tuple[Place, int | None, int]]:
        """The hub: all (port, tag on the wire, VID) by which a frame leaves its bridge."""
        device = self.campus.devices[at.device]
        came = (at.device, at.port)
        out: set[tuple[Place, int | None, int]] = set()
        for name, p in device.ports.items():
            place = (at.device, name)
            if place == came or not self.is_up(place) or self.bridge(place) != self.bridge(came):
                continue
            if p.kind is PortKind.SUB:
                assert p.parent and p.outer
                if (
                    self.subs(self.forwards_as(at.device, p.parent.value)).get(p.outer.value)
                    != place
                ):
                    continue
            if said(p.protected, False) and said(self.port(came).protected, False):
                continue
            for mode in self.modes(place):
                tagged = self.sends(place, at.vid, mode)
                if p.kind is PortKind.SUB:
                    if tagged is False:
                        out.add((place, p.outer.value, at.vid))  # type: ignore[union-attr]
                elif tagged is not None:
                    out.add((place, at.vid if tagged else None, at.vid))
        return out

    def flood(self, place: Place, hostile: bool, vids: set[int]) -> set[Heard]:
        """Who hears what a host at `place` may send. `vids`: the tags worth trying."""
        self.hostile = hostile
        p = self.port(place)
        end = (
            self.forwards_as(place[0], p.parent.value)
            if p.kind is PortKind.SUB and p.parent
            else place
        )
        if p.kind is PortKind.SUB:
            tags: set[int | None] = {None}
            start = {
                At(*place, v)
                for mode in self.modes(place)
                for v in [self.takes(place, None, mode)]
                if v
            }
            assert p.outer is not None
            if not self.is_up(place) or self.subs(end).get(p.outer.value) != place:
                start = set()
        else:
            voice = said(p.voice_vlan, None) if self.mode(place) is Mode.ACCESS else None
            tags = {None, *vids} if hostile else {None, voice}
            subs = self.subs(end)
            start = {at for tag in tags if tag not in subs for at in self.arrive(end, tag)}
        seen, heard, work = set(start), set(), list(start)
        while work:
            at = work.pop()
            for out, tag, vid in self.spread(at):
                q = self.port(out)
                far_end = (
                    self.forwards_as(out[0], q.parent.value)
                    if q.kind is PortKind.SUB and q.parent
                    else out
                )
                routed = said(q.mode, None) is Mode.ROUTED
                if out != place and not routed and self.is_host(out):
                    heard.add(Heard(*out, vid, tag is not None))
                for far in self.cables.get(far_end, ()):
                    # A hidden tag shows itself where the outer one is taken off.
                    shown = {tag, *vids} if hostile and tag is None else {tag}
                    new = {a for t in shown for a in self.arrive(far, t)} - seen
                    seen |= new
                    work.extend(new)
        return heard
