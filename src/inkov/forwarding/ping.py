"""What a ping between two named hosts would do, and which part of it fails (FM 5.3, FM 5.4,
FM 5.6).

A ping is two packets: there and back. Each is sent by a host that decides, by its own address and
prefix, whether the other one is near (then it is asked for by broadcast) or far (then the packet
goes to the gateway). Routers of one routing table that share a VLAN are taken to know each other's
networks; packet filters at their interfaces are applied.
"""

from __future__ import annotations

from collections.abc import Iterator
from enum import StrEnum
from ipaddress import ip_address, ip_network

from msgspec import Struct, field

from inkov.campus import Host, Origin
from inkov.forwarding.domains import domains
from inkov.forwarding.fabric import Fabric
from inkov.forwarding.follow import (
    Step,
    Story,
    follow_to,
    follow_to_router,
    form_of,
    routed_by,
    tell,
)
from inkov.forwarding.path import find_way, to_present
from inkov.forwarding.reach import Sending
from inkov.forwarding.routers import Fate, Path, Routers, networks
from inkov.forwarding.stations import Interface, interfaces, sent_by
from inkov.levels import Level
from inkov.wiring import End

__all__ = ["Need", "Part", "Ping", "ping"]


class Need(StrEnum):
    """What a part of a ping is about: that the other one's address is of the same kind, that a host
    on the same subnet hears it; that a gateway is set, is there, is reached; that a router has a
    way, and that the other one hears the last router.
    """

    SAME_KIND = "same kind of address"
    NEAR = "near"
    SET = "gateway set"
    THERE = "gateway there"
    REACHED = "gateway reached"
    ROUTED = "routed"
    HEARD = "heard from the gateway"


class Part(Struct):
    """One thing a ping needs: what it is, whether it is so, in words, and the steps of the frame if
    one was sent. `unknown`: it is not among the files, and may be so all the same (an address that
    routers share, a router without a file). `here` sends to `there`; `interface` is the gateway
    that the part is about.
    """

    name: str
    need: Need
    here: Host
    there: Host
    holds: bool
    says: str
    origin: Origin
    steps: list[Step] = field(default_factory=list)
    unknown: bool = False
    interface: Interface | None = None


class Ping(Struct):
    """All parts, up to and including the first that fails in each direction.

    `whole`: no filter on the way stops other packets between the two subnets. `simple` is false
    if a frame is known to get there only by ways that pass a switch twice.
    """

    works: bool
    parts: list[Part]
    assumes: list[str] = field(default_factory=list)
    whole: bool = True
    simple: bool = True

    def way(self, one: Host, other: Host) -> list[Step]:
        """The steps from one host to the other."""
        return [
            step for part in self.parts if part.name == _named(one, other) for step in part.steps
        ]


def _named(here: Host, there: Host) -> str:
    return f"{here.name} to {there.name}"


def ping(fabric: Fabric, one: Host, other: Host) -> Ping:
    """There and back between two hosts."""
    result = Ping(True, [])
    for here, there in ((one, other), (other, one)):
        # Both ways: an answer that does not come back is no ping.
        parts = _Direction(fabric, here, there, result).run()
        result.parts += parts
        result.works = result.works and all(part.holds for part in parts)
    return result


class _Direction:
    def __init__(self, fabric: Fabric, here: Host, there: Host, result: Ping) -> None:
        self.fabric = fabric
        self.here = here
        self.there = there
        self.result = result
        self.name = _named(here, there)

    def run(self) -> list[Part]:
        """The parts in order; the last one may fail."""
        source, target = self.here.address, self.there.address
        # Without addresses nobody can tell near from far: layer 2 is all there is.
        if source is None or target is None:
            nameless = self.here if source is None else self.there
            self.result.assumes.append(f"{nameless.name} has no address: only layer 2 is judged")
            return [self._near()]
        if source.version != target.version:
            says = (
                f"{self.here.name} has an IPv{source.version} address, and {self.there.name} an"
                f" IPv{target.version} address: they do not talk"
            )
            return [self._part(Need.SAME_KIND, False, says)]
        # On one subnet a host asks by broadcast, and needs no router.
        if target.ip in source.network:
            return [self._near()]
        parts = [self._gateway_set()]
        # Each part needs the one before it: the first that fails is the answer.
        if parts[-1].holds:
            gateway, part = self._gateway_found()
            parts.append(part)
            if gateway is not None:
                parts.append(self._to_gateway(gateway))
                if parts[-1].holds:
                    egress, part = self._routed(gateway)
                    parts.append(part)
                    if egress is not None:
                        parts.append(self._from_gateway(egress))
        return parts

    def _part(
        self,
        need: Need,
        holds: bool,
        says: str,
        origin: Origin | None = None,
        steps: list[Step] | None = None,
        interface: Interface | None = None,
    ) -> Part:
        return Part(
            self.name,
            need,
            self.here,
            self.there,
            holds,
            says,
            origin or self.here.origin,
            steps or [],
            interface=interface,
        )

    def _entries(self, host: Host) -> list[Sending]:
        return sent_by(self.fabric, host, untagged=True)

    def _near(self) -> Part:
        (end, _), (target, tag) = map(self.fabric.seat_of, (self.here, self.there))
        sendings = self._entries(self.here)
        story = follow_to(self.fabric, sendings, end, target, Level.HONEST, tag)
        known = self.here.address is not None and self.there.address is not None
        near = f"{self.there.name} is near (same subnet)" if known else "at layer 2"
        return self._arrived(Need.NEAR, story, near)

    def _note(self, simple: bool | None) -> None:
        self.result.simple = self.result.simple and simple is True

    def _arrived(
        self, need: Need, story: Story, near: str, interface: Interface | None = None
    ) -> Part:
        holds, says = (
            story.arrives,
            f"{near}: its frames arrive" if story.arrives else f"{near}: its frames do not arrive",
        )
        last = story.steps[-1]
        self._note(story.simple)
        # The host hears frames of one form only: with its tag, or untagged.
        if story.other_form:
            form = form_of(self.fabric, last)
            holds, says = False, f"{near}: frames arrive {form}, which it does not hear"
        return self._part(need, holds, says, last.origin, story.steps, interface)

    def _gateway_set(self) -> Part:
        own = self.here.address
        assert own is not None
        if self.here.gateway is None:
            says = f"{self.there.name} is in another subnet, and {self.here.name} has no gateway"
            return self._part(Need.SET, False, says)
        # A host sends to its gateway as to somebody near: it must be on its subnet.
        if ip_address(self.here.gateway) not in own.network:
            says = (
                f"the gateway {self.here.gateway} of {self.here.name} is not in its subnet"
                f" {own.network}"
            )
            return self._part(Need.SET, False, says)
        return self._part(
            Need.SET, True, f"{self.there.name} is far: by the gateway {self.here.gateway}"
        )

    def _gateway_found(self) -> tuple[Interface | None, Part]:
        owners = [
            i
            for i in interfaces(self.fabric)
            if any(str(a.value.ip) == self.here.gateway for a in i.addresses)
        ]
        if not owners:
            says = f"no device among the files has the address {self.here.gateway}"
            part = self._part(Need.THERE, False, says)
            # The address may be of a router that is not among the files.
            part.unknown = True
            return None, part
        # Several may share the address: one that is up is enough.
        up = [interface for interface in owners if not interface.why_down]
        if not up:
            says = f"the gateway {owners[0].label} is down: {owners[0].why_down}"
            return None, self._part(Need.THERE, False, says, owners[0].origin, interface=owners[0])
        says = f"the gateway is {up[0].label}, and it is up"
        return up[0], self._part(Need.THERE, True, says, up[0].origin, interface=up[0])

    def _to_gateway(self, gateway: Interface) -> Part:
        source, _ = self.fabric.seat_of(self.here)
        story = follow_to_router(self.fabric, self._entries(self.here), source, gateway)
        self._note(story.simple)
        get = "get" if story.arrives else "do not get"
        says = f"frames of {self.here.name} {get} to {gateway.label}"
        origin = story.steps[-1].origin
        return self._part(Need.REACHED, story.arrives, says, origin, story.steps, gateway)

    def _routed(self, gateway: Interface) -> tuple[Interface | None, Part]:
        """The interface whose network holds the destination, on a router that the gateway's router
        knows (FM 5.5), if filters let the packet pass (FM 5.7).
        """
        source, target = self.here.address, self.there.address
        assert source is not None and target is not None
        routers = Routers(self.fabric, domains(self.fabric), Level.HONEST)
        finals = [
            i for i in routers.up if any(target.ip in fact.value.network for fact in i.addresses)
        ]
        packet = [ip_network(source.ip)], [ip_network(target.ip)]
        ways = (routers.path(gateway, finals, *packet, back=back) for back in (False, True))
        # Without sending it back where it came from first: a router that does is the last resort.
        path = next(filter(None, ways), None)
        if path is not None:
            self.result.assumes += path.assumes
            self.result.assumes += (
                [f"this packet is among those that pass: {path.says}"] if path.says else []
            )
            says = f"{path.out.device} routes it into {path.out.name}"
            steps = list(self._hops(path))
            self.result.whole = self.result.whole and self._passes_whole(routers, path)
            part = self._part(Need.ROUTED, True, says, path.out.origin, steps, path.out)
            return path.out, part
        # A way there would be if no filter stopped it: then the filter is the answer.
        anyway = routers.path(gateway, finals, (), (), back=True)
        for interface, bound in anyway.filters if anyway is not None else ():
            how, says = routers.filtered(interface, bound, *packet)
            if how == Fate.STOPPED:
                return None, self._part(Need.ROUTED, False, says, interface.origin)
        table = f" (routing table {gateway.vrf!r})" if gateway.vrf else ""
        says = (
            f"no router that {gateway.device} knows{table} has an interface in the subnet of"
            f" {self.there.name}"
        )
        part = self._part(Need.ROUTED, False, says, gateway.origin, interface=gateway)
        # A subnet that nobody among the files has may be behind a router that is not among them.
        part.unknown = not any(
            target.ip in fact.value.network
            for interface in interfaces(self.fabric)
            for fact in interface.addresses
        )
        return None, part

    def _hops(self, path: Path) -> Iterator[Step]:
        """What each router does, and the ways between them."""
        for number, (into, out) in enumerate(path.hops):
            says = f"{into.device} routes it from {into.name} into {out.name}"
            yield routed_by(out, says)
            # Between two routers the packet is a frame again, and has to find its way.
            if number + 1 < len(path.hops):
                then = path.hops[number + 1][0]
                goal = to_present(then.bridge, then.hears)
                way = find_way(self.fabric, [_out(out)], goal, Level.HONEST)
                assert way is not None
                self._note(way.simple)
                yield from list(tell(self.fabric, way))[1:]

    def _passes_whole(self, routers: Routers, path: Path) -> bool:
        """True if filters on the way let all packets between the two subnets pass."""
        ends = networks(path.into), networks(path.out)
        return all(
            routers.filtered(interface, bound, *ends)[0] == Fate.PASSES
            for interface, bound in path.filters
        )

    def _from_gateway(self, egress: Interface) -> Part:
        source = End(egress.device, egress.name)
        target, tag = self.fabric.seat_of(self.there)
        story = follow_to(self.fabric, [_out(egress)], source, target, Level.HONEST, tag)
        if len(story.steps) > 1:
            story.steps = story.steps[1:]  # that it is sent there was told by the router
        near = f"from {egress.label} to {self.there.name}"
        return self._arrived(Need.HEARD, story, near, egress)


def _out(interface: Interface) -> Sending:
    """Frames that a routed interface sends into its VLAN."""
    return Sending(-1, 1 << interface.vid, interface.bridge)
