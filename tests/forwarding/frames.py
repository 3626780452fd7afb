"""The naive simulator, asked for ways, for what hears a frame, and for who is served where."""

from __future__ import annotations

from collections.abc import Iterator

from inkov.campus import Mode, PortKind
from tests.campuses import VIDS
from tests.simulator import At, Place, Simulator, said

__all__ = ["Bridge", "Frames"]

Bridge = tuple[str, str]  # switch, bridge


class Frames(Simulator):
    """The simulator, asked for ways."""

    hostile = False

    def end_of(self, place: Place) -> Place:
        """The end of the cable by which frames of a port pass."""
        port = self.port(place)
        name = port.parent.value if port.kind is PortKind.SUB and port.parent else place[1]
        return self.forwards_as(place[0], name)

    def bridge_of(self, at: At) -> Bridge:
        return at.device, self.bridge((at.device, at.port))

    def sent(self, place: Place, vid: int = 0) -> list[At]:
        """What a host's untagged frame becomes (FM 4.1); at a sub-interface, one with its tag. Or
        all that it may send in a VLAN.
        """
        sub = self.port(place).kind is PortKind.SUB
        tags = [self.tag_of(place)] if sub else [None, *VIDS] if vid else [None]
        sent = {at for tag in tags for at in self.arrive(self.end_of(place), tag)}
        return sorted(at for at in sent if vid in (0, self.vlan_of(at)))

    def vlan_of(self, at: At) -> int | None:
        """The VLAN of a frame that came in by a port: of a routed one, that of its tag."""
        routed = self.mode((at.device, at.port)) is Mode.ROUTED
        return self.tag_of((at.device, at.port)) or None if routed else at.vid

    def tag_of(self, place: Place) -> int:
        outer = self.port(place).outer
        return outer.value if outer is not None else 0

    def onward(self, at: At) -> Iterator[At]:
        """Where a frame is after one link."""
        for out, tag, _ in self.spread(at):
            for far in self.cables.get(self.end_of(out), ()):
                yield from self.arrive(far, tag)

    def reached(self, starts: list[At]) -> set[At]:
        reached, work = set(starts), list(starts)
        for at in work:
            new = {*self.onward(at)} - reached
            reached |= new
            work += new
        return reached

    def leaves(self, at: At, place: Place, vid: int = 0) -> bool:
        """Whether a frame leaves by a port, in a VLAN if that is given."""
        return any(out == place and vid in (0, own) for out, _, own in self.spread(at))

    def shortest(self, starts: list[At], target: Place, vid: int = 0) -> tuple[int, bool] | None:
        """How many links the shortest way to a port passes, of those that pass no bridge twice if
        there are any; and whether there are. In a VLAN there, if that is given.
        """
        work: list[tuple[At, tuple[Bridge, ...]]] = [(at, (self.bridge_of(at),)) for at in starts]
        for at, passed in work:
            if self.leaves(at, target, vid):
                return len(passed) - 1, True
            for then in self.onward(at):
                if self.bridge_of(then) not in passed:
                    work.append((then, (*passed, self.bridge_of(then))))
        far = dict.fromkeys(starts, 0)
        for at in (queue := list(starts)):
            if self.leaves(at, target, vid):
                return far[at], False
            for then in self.onward(at):
                if then not in far:
                    far[then] = far[at] + 1
                    queue.append(then)
        return None

    def called(self, at: At) -> int:
        """The VLAN of a frame that came in by a sub-interface, or leaves by it (FM 6.8)."""
        place, tags = (at.device, at.port), set[int]()
        for name in self.campus.devices[at.device].ports:
            other = at.device, name
            if self.bridge(other) != self.bridge(place) or self.end_of(other) not in self.cables:
                continue
            if self.is_live(other) and self.sends(other, 1, self.mode(other)) is not None:
                tags.add(self.tag_of(other))
        return self.tag_of(place) if at.vid == 1 and tags == {self.tag_of(place)} else at.vid

    def is_live(self, place: Place) -> bool:
        """Up, and no second sub-interface with one tag."""
        tag = self.tag_of(place)
        return self.is_up(place) and (not tag or self.subs(self.end_of(place)).get(tag) == place)

    def ports_at(self, place: Place) -> list[Place]:
        """The ports that frames of somebody at a port pass: its own first."""
        if self.tag_of(place):
            return [place] if self.is_live(place) else []
        end = self.end_of(place)
        return [end, *(sub for _, sub in sorted(self.subs(end).items()))] if self.is_up(end) else []

    def bridges_at(self, end: Place, port: Place | None = None) -> list[Bridge]:
        """The bridges that frames of an end get to; if it is shut, that of its port."""
        if ports := self.ports_at(port or end):
            return [(place[0], self.bridge(place)) for place in ports]
        own = [
            name for name in self.campus.devices[end[0]].ports if self.end_of((end[0], name)) == end
        ]
        return [(end[0], self.home(end[0], name)) for name in ([port[1]] if port else own)]

    def home(self, switch: str, port: str) -> str:
        bridges = self.campus.devices[switch].bridges.values()
        return next((bridge.name for bridge in bridges if port in bridge.ports), "")

    def sent_honestly(self, place: Place) -> list[At]:
        """What a host that nothing is said of sends: untagged frames, those of a voice VLAN."""
        port, end = self.port(place), self.end_of(place)
        voice = said(port.voice_vlan, None) if self.mode(place) is Mode.ACCESS else None
        tagged = self.arrive(end, voice) if voice and not self.tag_of(place) else set()
        return sorted({*self.sent(place), *(at for at in tagged if at[:2] == end)})

    def heard(self, reached: set[At], senders: set[Place]) -> dict[int, int]:
        """VLAN -> how many host ports, but those of the sender, hear a frame that is there."""
        hearing = {
            (out, vid)
            for at in reached
            for out, _, vid in self.spread(at)
            if out not in senders and self.is_host(out) and self.mode(out) is not Mode.ROUTED
        }
        counts: dict[int, int] = {}
        for _, vid in hearing:
            counts[vid] = counts.get(vid, 0) + 1
        return counts
