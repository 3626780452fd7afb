"""What an answer about frames rests on: all that is not stated where such frames come by."""

from __future__ import annotations

from collections.abc import Iterable
from functools import cached_property

from inkov.campus import Mode
from inkov.forwarding.fabric import Fabric
from inkov.forwarding.outsiders import passes_nothing, said_beside_trees, several_ports
from inkov.forwarding.reach import Flood
from inkov.forwarding.reasons import NAMES
from inkov.levels import Level
from inkov.wiring import End, Outside, is_address
from inkov.words import counted

__all__ = ["BY_ADDRESS", "Assumptions", "may_route", "nameless", "passed_by"]

_MATTERS: dict[Mode, tuple[str, ...]] = {
    Mode.ACCESS: ("mode", "access_vlan"),
    Mode.TRUNK: ("mode", "allowed", "native_vlan"),
    Mode.GENERAL: ("pvid", "accept", "ingress_filtering"),
}
"""What decides about the VLANs of a port, by its mode."""


BY_ADDRESS = "the neighbour is known by the address {0} only: it may be one of the switches"


def nameless(fabric: Fabric, outside: Outside) -> bool:
    """True for a neighbour at a port with tagged frames of which an address alone is known: there
    is a link, and nobody knows where it leads (FM 4.10).
    """
    numbers = fabric.at.get(fabric.wire_of(outside.near), ())
    # An address and no name at a port with tags: it may be one of the switches.
    views = [fabric.bridge_ports[number].view for number in numbers]
    return is_address(outside.far) and any(view.emit & ~view.untagged for view in views)


_MAY_ROUTE = "which is not among the files, may route between its VLANs"


def may_route(end: End) -> str:
    """That a box behind a port, of which nothing is known, may be a router (FM 5.9)."""
    return f"what is at {end}, {_MAY_ROUTE}"


def passed_by(spread: Flood) -> set[str]:
    """The devices that frames of a flood get to."""
    return {
        inside.device
        for number, inside in enumerate(spread.fabric.bridges)
        if spread.present(number)
    }


def _beside_unknown(fabric: Fabric) -> dict[str, set[str]]:
    """For each device with ports that are not known (FM 4.8): itself, and those at the far ends.

    What such a port passes, nobody knows, so an answer rests on it that gets to either end.
    """
    beside: dict[str, set[str]] = {}
    for resolved in fabric.ports.values():
        if not resolved.known:
            near = beside.setdefault(resolved.end.device, {resolved.end.device})
            near.update(
                link.far(resolved.end).device for link in fabric.wiring.of.get(resolved.end, ())
            )
    return beside


class Assumptions:
    """The defaults, guesses and missing reports of a campus, each with the devices that it is
    about.
    """

    def __init__(self, fabric: Fabric) -> None:
        self.fabric = fabric
        self._texts: list[tuple[frozenset[str], str]] = []
        self._unsure: set[str] = set()
        self._unknown: set[str] = set()
        self._guessed: set[str] = set()
        self._disputed: set[str] = set()
        unknown = _beside_unknown(fabric)
        for assumption in fabric.assumptions:
            at = f"{assumption.device}:{assumption.port}: " if assumption.port else ""
            self._add(
                at + assumption.says,
                # What nobody knows of a port counts at both ends of its links.
                *(unknown[assumption.device] if assumption.unknown else [assumption.device]),
            )
            if not assumption.sure:
                self._unsure.add(at + assumption.says)
            if assumption.unknown:
                self._unknown.add(at + assumption.says)
            if assumption.passes:
                self._guessed.add(at + assumption.says)
        wiring = fabric.wiring
        for outside in wiring.outside:
            says = (
                f"nothing is known of what is behind {outside.near}: {outside.far} is not among the"
                " files"
            )
            # Outside is outside: whoever is there can do what a host can.
            self._add(says, outside.near.device)
            if nameless(fabric, outside):
                says = f"{outside.near}: {BY_ADDRESS.format(outside.far)}"
                self._add(says, outside.near.device)
                self._unsure.add(says)
        self.between = self._between()
        for says, devices in self.between.items():
            self._add(says, *devices)
        # Only what hangs on trees says so (FM 7.1).
        self._unsure.update(said_beside_trees(fabric))
        for stray in wiring.strays:  # there is a link, and nobody knows where it leads (FM 4.10)
            self._add(f"{stray.near}: {stray.says}", stray.near.device)
            self._unsure.add(f"{stray.near}: {stray.says}")
        for conflict in wiring.conflicts:
            says = (
                f"reports disagree where {conflict.near} is cabled to: each of its links is taken"
                " to be there"
            )
            self._add(says, *(end.device for link in conflict.links for end in (link.a, link.b)))
            self._disputed.add(says)
        # One end's word is believed, and told.
        for link in wiring.links:
            if link.one_sided:
                self._add(
                    f"the link {link.a} to {link.b} is reported by one end only",
                    link.a.device,
                    link.b.device,
                )
        # device -> (attribute, whose default) -> at how many ports
        self._unstated: dict[str, dict[tuple[str, str], int]] = {}
        for port in fabric.bridge_ports:
            # Of a sub-interface its own settings count.
            resolved = fabric.ports[port.end] if not port.outer else fabric.resolved(port)
            asked = _MATTERS.get(resolved.mode, ())
            # Only a host can ask a port to negotiate.
            for attribute in (*asked, "negotiation") if fabric.is_host_port(port) else asked:
                # A default that decides about frames is told, and counted.
                if getattr(resolved.stated, attribute) is None:
                    default = fabric.device(port.end.device).platform.unstated.get(attribute)
                    key = attribute, default.origin.says if default is not None else ""
                    counts = self._unstated.setdefault(port.end.device, {})
                    counts[key] = counts.get(key, 0) + 1

    @cached_property
    def _beside(self) -> dict[str, set[str]]:
        """For each device those at the far ends of its links."""
        beside: dict[str, set[str]] = {}
        wiring = self.fabric.wiring
        for link in (*wiring.links, *wiring.shared):
            beside.setdefault(link.a.device, set()).add(link.b.device)
            beside.setdefault(link.b.device, set()).add(link.a.device)
        return beside

    def stopping(self, passed: set[str]) -> set[str]:
        """The devices that frames get to, and those next to them: what keeps a frame from going on
        is said at either end of a link.
        """
        return passed.union(*(self._beside.get(name, ()) for name in passed))

    def _between(self) -> dict[str, set[str]]:
        """Neighbours that are not among the files and have ports in different VLANs: they could
        join these (FM 4.7).
        """
        between = {}
        # One neighbour at ports with different VLANs could pass frames between them.
        for far, ends in several_ports(self.fabric).items():
            views = {
                tuple(self.fabric.bridge_ports[n].view for n in self.fabric.at[end]) for end in ends
            }
            if len(views) > 1:
                between[passes_nothing(far, ends)] = {end.device for end in ends}
        return between

    def _add(self, says: str, *devices: str) -> None:
        self._texts.append((frozenset(devices), says))

    def unsafe(self, texts: Iterable[str], *, wanted: bool) -> list[str]:
        """Those of some assumptions that may be wrong, and would make a leak then (FM 4.7), or if
        frames are wanted to get there, would keep them from it: links that may not be there.
        """
        return [
            text
            for text in texts
            if text in self.between
            or text in self._unsure
            or text.endswith(_MAY_ROUTE)
            # To reach somebody, links that reports disagree about must not be taken for granted.
            or (wanted and text in self._disputed)
        ]

    def unknown(self, texts: Iterable[str]) -> list[str]:
        """Those that say what nobody knows of a port: frames that stop there may pass."""
        return [text for text in texts if text in self._unknown]

    def guessed(self, texts: Iterable[str]) -> list[str]:
        """Those that say that frames are taken to pass where nobody knows that they do."""
        return [text for text in texts if text in self._guessed]

    def about(self, passed: set[str], level: Level) -> list[str]:
        """What is not stated about some devices, in words."""
        # Only what is said about switches that the frames get to.
        texts = [says for devices, says in self._texts if not devices.isdisjoint(passed)]
        unstated: dict[tuple[str, str], int] = {}
        # The same default at many ports is one line.
        for device in passed & self._unstated.keys():
            for key, number in self._unstated[device].items():
                unstated[key] = unstated.get(key, 0) + number
        for (attribute, whose), number in sorted(unstated.items()):
            if attribute != "negotiation":
                texts.append(
                    f"{NAMES[attribute]} not stated at {counted(number, 'port')}, default: {whose}"
                )
            elif level == Level.HOSTILE:  # an honest host asks for nothing
                texts.append(f"negotiation not stated at {number} host ports, default: {whose}")
        return list(dict.fromkeys(texts))
