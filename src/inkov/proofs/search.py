"""Searches for frames and packets of one claim: do any get from some seats to others?

Theory of operation. Each search looks three times, from the coarsest look to the finest:

1. *By VLAN numbers alone* (`vid_reach`). If nothing anywhere on the campus turns a VID that is sent
   into one that is heard, the sides are apart. That ignores where anybody is, so it can only err
   towards "gets there"; and it is enough for nearly all VLANs of a campus, without a flood.
2. *By a flood* (`leaks.closure`). It says exactly where frames can be, if each may take all links
   that are up. What it does not reach is apart. What it reaches may still be reached only by ways
   that pass a switch twice, which cannot happen in a spanning tree.
3. *By a way* (`leaks.find_leak`). A way that passes no bridge twice is a witness. If there is none
   among those tried, the answer is `Unsettled`, never "apart" (FM 3.10).

At layer 3 the same is done for the packets of a side: to which gateways do its frames get, which
routers pass them on, and who hears what these send (`routed`).

What an answer rests on is noted as the search goes along, in `assumes`.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence

from inkov.campus import Host
from inkov.forwarding import Fabric
from inkov.forwarding.assumptions import Assumptions, may_route, passed_by
from inkov.forwarding.follow import follow, in_another_form
from inkov.forwarding.ping import ping
from inkov.forwarding.reach import Flood
from inkov.levels import Layer, Level
from inkov.proofs.answers import (
    Answer,
    Answered,
    Apart,
    Certificate,
    Heard,
    Passed,
    Silent,
    Unanswered,
    Unnamed,
    Unsettled,
)
from inkov.proofs.certificate import certified, way_of
from inkov.proofs.leaks import blamed, closure, find_leak, leak_steps, reached, sendings_of
from inkov.proofs.routed import Passage, Routing
from inkov.proofs.seats import ClaimNames, Seat
from inkov.proofs.vid_reach import VidReach
from inkov.vlanset import VlanSet, bits_to_text

__all__ = ["Leg", "Search", "silent"]

Seats = frozenset[Seat]
Leg = tuple[Seats, Seats]
"""Those that send, and those that hear."""


class Search:
    """The searches of one claim, at one level and layer.

    `vid_reach` and `routing` are worked out once for all claims. `assumes` lists what the answer
    rests on, in words, once the search is done.
    """

    def __init__(
        self,
        fabric: Fabric,
        names: ClaimNames,
        level: Level,
        layer: Layer,
        vid_reach: Callable[[Level], VidReach],
        routing: Callable[[], Routing],
        assumptions: Assumptions,
    ) -> None:
        self.fabric = fabric
        self.names = names
        self.level = level
        self.layer = layer
        self.vid_reach = vid_reach
        self.routing = routing
        self.assumes: list[str] = []
        self._assumptions = assumptions

    def assume_about(self, devices: set[str], *, stopped: bool = False) -> None:
        """Note what an answer rests on whose frames can be on some devices; and no further, if they
        are `stopped` there.
        """
        devices = self._assumptions.stopping(devices) if stopped else devices
        self._assume(self._assumptions.about(devices, self.level))

    def _assume(self, texts: Sequence[str]) -> None:
        self.assumes = list(dict.fromkeys((*self.assumes, *texts)))

    # --- apart ------------------------------------------------------------------------------------

    def whole_vlans_apart(self, sides: list[tuple[VlanSet, VlanSet]]) -> Apart | None:
        """Whether whole VLANs are apart, by VLAN numbers alone; None if that does not tell.

        `sides` are pairs of VLANs that send and VLANs that hear.
        """
        vid_reach = self.vid_reach(self.level)
        masks = [
            (vid_reach.sent_in(sources), vid_reach.heard_in(targets)) for sources, targets in sides
        ]
        # A single pair that numbers do not tell apart needs a closer look: all of them get it.
        closures = [self.nowhere_near(sent, heard) for sent, heard in masks]
        if not closures or None in closures:
            return None
        nobody = any(not sent or not heard for sent, heard in masks)
        return Apart(certificate={"closures": closures}, nobody=nobody)

    def nowhere_near(self, sent: int, heard: int) -> Certificate | None:
        """The closure, if no link anywhere turns what is sent into what is heard; else None."""
        everywhere = self.vid_reach(self.level).spread(sent)
        # Numbers alone do not tell.
        if everywhere & heard:
            return None
        stated = {"anywhere": bits_to_text(everywhere)}
        self.assume_about(self._devices(stated), stopped=True)
        return stated

    def apart(self, legs: list[Leg], *, blame: bool = True) -> Answer:
        """Whether no frame (at layer 3: and no packet) of the first side of a leg gets to the
        second.

        `blame`: lines to blame are wanted, if one does.
        """
        unsettled: Answer | None = None
        closures: list[Certificate] = []
        legs = [self._on_wires(leg) for leg in legs]
        for sources, targets in legs:
            stated, answer = self._frames(sources, targets, blame=blame)
            # A way that can happen ends the search; one that cannot is kept, and the others are
            # looked at.
            if isinstance(answer, Heard):
                return answer
            unsettled = answer or unsettled
            closures.append(stated)
        # Routers are looked at only after all frames.
        for sources, targets in legs if self.layer == Layer.PACKETS else ():
            spread = closure(self.fabric, sources, self.level)
            routed = self._packets(spread, sources, targets, blame=blame)
            if isinstance(routed, Passed):
                return routed
            unsettled = routed or unsettled
            # A box that nobody knows may route between the sides.
            self._assume(self._boxes_between(sources, targets))
        if unsettled is not None:
            return unsettled
        nobody = any(not sources or not targets for sources, targets in legs)
        return Apart(certificate=self._certificate(closures, legs), nobody=nobody)

    def _on_wires(self, leg: Leg) -> Leg:
        """Both sides with all ends of their wires."""
        sources, targets = (self.names.on_wire(seats, self.level) for seats in leg)
        return sources, targets

    def _boxes_between(self, sources: Seats, targets: Seats) -> list[str]:
        """The boxes that are not among the files and get tagged frames of both sides: each may
        route between them.
        """
        vid_reach, fabric = self.vid_reach(self.level), self.fabric
        one = vid_reach.spread(vid_reach.sent(sources))
        other = vid_reach.heard(targets)
        named = {(host.device, host.port) for host in fabric.campus.hosts}
        boxes = []
        for port in fabric.bridge_ports:
            tagged = port.view.emit & ~port.view.untagged
            both = port.view.emit & one and port.view.enters() & other
            # Without tags of both sides it cannot route between them.
            if port.outer or not tagged or not both or not fabric.is_host_port(port):
                continue
            # A host that is named is no router.
            if (port.end.device, port.end.port) not in named:
                boxes.append(may_route(port.end))
        return boxes

    def _frames(
        self, sources: Seats, targets: Seats, *, blame: bool
    ) -> tuple[Certificate, Heard | Unsettled | None]:
        """Where frames of one side can be, and what of it the other hears; None if nothing."""
        vid_reach = self.vid_reach(self.level)
        plain = self.nowhere_near(vid_reach.sent(sources), vid_reach.heard(targets))
        # Told apart by numbers: no flood.
        if plain is not None:
            return plain, None
        spread = closure(self.fabric, sources, self.level)
        hearers = reached(self.fabric, spread, self.names.near(spread, targets), self.level)
        self.assume_about(passed_by(spread))
        # Where it stops counts only if nothing is heard.
        if not hearers:
            self.assume_about(passed_by(spread), stopped=True)
        answer = self._leak(sources, hearers, blame=blame) if hearers else None
        return certified(self.fabric, spread, targets), answer

    def _leak(self, sources: Seats, hearers: list[Seat], *, blame: bool) -> Heard | Unsettled:
        """The way of a frame from one side to some that hear it."""
        leak = find_leak(self.fabric, sources, hearers, self.level)
        # Only ways that pass a switch twice: not settled.
        if leak.way is None:
            return Unsettled(end=self.fabric.bridge_ports[leak.target].end)
        steps = leak_steps(self.fabric, leak)
        certificate = {"way": way_of(steps)}
        answer = Heard(hearers=len(hearers), steps=steps, certificate=certificate)
        if blame:
            answer.blame = blamed(self.fabric, sources, hearers, leak, self.level)
        return answer

    def _packets(
        self, spread: Flood, sources: Seats, targets: Seats, *, blame: bool
    ) -> Passed | Unsettled | None:
        """The way of a packet that routers pass from one side to the other; None if they do not."""
        routing = self.routing()
        passages = routing.passages(routing.entered(spread), targets, self.level)
        return self._passed(passages, sources, targets, blame=blame) if passages else None

    def _passed(
        self, passages: list[Passage], sources: Seats, targets: Seats, *, blame: bool
    ) -> Passed | Unsettled:
        # A way that is sure comes before one that is not.
        passage = min(passages, key=lambda passage: passage.perhaps)
        end = self.fabric.bridge_ports[passage.hearer.port].end
        self.assumes += passage.path.assumes
        way = self.routing().steps_of(sources, passage, targets, self.level)
        self.assume_about({step.switch for step in way.steps})
        # The packet would have to pass a switch twice as one frame.
        if not way.simple:
            return Unsettled(end=end, path=passage.path)
        perhaps = all(passage.perhaps for passage in passages)
        answer = Passed(path=passage.path, end=end, steps=way.steps, perhaps=perhaps)
        answer.certificate = {"way": way_of(way.steps)}
        if blame:
            answer.blame = self.routing().blamed(sources, passage, way, targets, self.level)
        return answer

    # --- reaching ---------------------------------------------------------------------------------

    def reach(self, sources: Seats, targets: Seats) -> Answer:
        """Whether frames (at layer 3: or packets) of one side get to the other."""
        sources, targets = self._on_wires((sources, targets))
        spread = closure(self.fabric, sources, self.level)
        hearers: list[Seat] = []
        # Without anybody on a side nothing can be heard.
        if sources and targets:
            hearers = reached(self.fabric, spread, targets, self.level)
        self.assume_about(passed_by(spread))
        if hearers:
            return self._leak(sources, hearers, blame=False)
        # Frames alone do not get there: routers may.
        if self.layer == Layer.PACKETS:
            routing = self.routing()
            passages = routing.passages(routing.entered(spread), targets, self.level)
            if passages:
                passed = self._passed(passages, sources, targets, blame=False)
                if isinstance(passed, Passed) and passed.perhaps:
                    passed.certificate = {}  # nothing is decided that could be verified
                return passed
        # Nothing gets there: where it stops is told.
        answer = silent(self.fabric, sources, targets, self.level)
        stated = certified(self.fabric, spread, targets)
        answer.certificate = self._certificate([stated], [(sources, targets)])
        return answer

    def ping(self, one: Host, other: Host, sources: Seats, targets: Seats) -> Answer:
        """Whether two hosts with addresses reach each other, as a ping would: there and back."""
        result = ping(self.fabric, one, other)
        there, back = result.way(one, other), result.way(other, one)
        self.assume_about({step.switch for step in (*there, *back)})
        self._assume(result.assumes)
        # Which part of the ping fails is what people want to know.
        if not result.works:
            failed = next(part for part in result.parts if not part.holds)
            # Nothing fails for sure: some part is not known.
            if all(part.holds or part.unknown for part in result.parts):
                return Unnamed(says=f"{failed.name}: {failed.says}", nearest=[])
            # What the verifier can see of it: that frames alone do not get there.
            frames = self.reach(sources, targets)
            stated = frames.certificate if isinstance(frames, Silent) else {}
            return Unanswered(
                way=failed.name, says=failed.says, steps=failed.steps, certificate=stated
            )
        # It works only by ways that a tree would cut.
        if not result.simple:
            return Unsettled(end=self.fabric.bridge_ports[min(targets).port].end)
        ways = {"way": way_of(there), "back": way_of(back)} if result.whole else {}
        hosts = one.name, other.name
        return Answered(hosts=hosts, steps=[*there, *back], certificate=ways)

    # --- certificates -----------------------------------------------------------------------------

    def _certificate(self, closures: Sequence[Certificate], legs: list[Leg]) -> Certificate:
        """Where frames of each side can be; at layer 3 also where what routers send of their
        packets can be. Empty where the verifier, which looks less finely, could not follow.
        """
        # Layer 2 asks for no routers.
        if self.layer == Layer.FRAMES:
            return {"closures": closures}
        routed = [
            self.routing().certified(stated, targets, self.level)
            for stated, (_, targets) in zip(closures, legs, strict=True)
        ]
        # What routers send may be anywhere that no finer look has excluded.
        # Of a side without a closure all that routers send may be anywhere.
        everywhere = set(self.fabric.campus.devices)
        for sent in routed:
            self.assume_about(everywhere if sent is None else self._devices(sent), stopped=True)
        return {} if None in routed else {"routed": routed, "closures": closures}

    def _devices(self, stated: Certificate) -> set[str]:
        """The devices that frames of a closure can be on."""
        if "anywhere" not in stated:
            return {name.partition("|")[0] for name in stated}
        mask = VlanSet.parse(stated["anywhere"]).bits
        return {bridge.device for bridge in self.fabric.bridges if bridge.live & mask}


def silent(fabric: Fabric, sources: Seats, targets: Seats, level: Level) -> Silent:
    """Where what one side sends stops on its way to the other, without a certificate."""
    # Nobody to send or to hear.
    if not sources or not targets:
        return Silent(ends=None)
    first, last = min(sources), min(targets)
    source, target = fabric.bridge_ports[first.port], fabric.bridge_ports[last.port]
    story = follow(fabric, sendings_of(fabric, [first], level), source.end, target, level)
    # It gets there, in a form that the host does not take.
    steps = in_another_form(fabric, story.steps, last.tag) if story.arrives else story.steps
    return Silent(ends=(source.end, target.end), steps=steps)
