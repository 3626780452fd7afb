"""What an answer about frames rests on: all that is not stated where such frames come by."""

from __future__ import annotations

from inkov.forwarding.fabric import Fabric
from inkov.forwarding.reach import Flood, Level

__all__ = ["passed_by", "rests_on"]


def passed_by(spread: Flood) -> set[str]:
    """The devices that frames of a flood get to."""
    return {inside.device for number, inside in enumerate(spread.fabric.bridges) if spread.present(number)}


def rests_on(fabric: Fabric, passed: set[str], level: Level) -> list[str]:
    """The defaults, guesses and missing reports about some devices, in words."""
    wiring = fabric.wiring
    found = [
        a.says if not a.port else f"{a.device}:{a.port}: {a.says}" for a in fabric.assumptions if a.device in passed
    ]
    if level == "hostile":
        found += _negotiation(fabric, passed)
    for outside in wiring.outside:
        if outside.near.device in passed:
            found.append(f"nothing is known of what is behind {outside.near}: {outside.far} is not among the files")
    found += [f"{stray.near}: {stray.says}" for stray in wiring.strays if stray.near.device in passed]
    for conflict in wiring.conflicts:
        if passed & {end.device for link in conflict.links for end in (link.a, link.b)}:
            found.append(f"reports disagree where {conflict.near} is cabled to: each of its links is taken to be there")
    for link in wiring.links:
        if link.one_sided and passed & {link.a.device, link.b.device}:
            found.append(f"the link {link.a} to {link.b} is reported by one end only")
    return list(dict.fromkeys(found))


def _negotiation(fabric: Fabric, passed: set[str]) -> list[str]:
    """At the hostile level it matters which ports negotiate; where no file says so, a default was taken."""
    unsaid: dict[str, int] = {}
    for port in fabric.bridge_ports:
        stated = fabric.ports[port.end].stated
        if fabric.is_host_port(port) and stated.negotiation is None and port.end.device in passed:
            says = fabric.device(port.end.device).platform.unstated["negotiation"].origin.says
            unsaid[says] = unsaid.get(says, 0) + 1
    return [f"negotiation is not stated at {n} host ports, default: {says}" for says, n in sorted(unsaid.items())]
