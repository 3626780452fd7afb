"""Protected ports: where they keep hosts from the uplink, and where protection ends."""

from __future__ import annotations

from collections.abc import Iterator

from inkov.checks.catalogue import Found, Severity, finding, rule
from inkov.checks.private import FAMILY
from inkov.checks.site import Site
from inkov.edits.make import of_port
from inkov.forwarding import Resolved
from inkov.words import counted, listed


@rule(
    "protected-uplink",
    family=FAMILY,
    severity=Severity.FAULT,
    what="a port towards another switch is protected, as host ports of its switch are",
    why="protected ports do not talk with each other: the hosts cannot use the link at all",
    cure="take the protection off the port towards the other switch",
    example="ports 1 to 8 of pond-1 are protected, and so is its uplink, port 24",
    says=(
        "{end}, a link to another switch, is protected: the protected host ports of {device} cannot"
        " use it"
    ),
    fix="take the protection off {end}",
)
def protected_uplink(site: Site) -> Iterator[Found]:
    protected = [r for r in site.stating("protected") if r.up and r.completed.protected]
    hosts = {r.end.device for r in protected if r.end not in site.fabric.wiring.of}
    # Only where hosts are protected too do they lose the link.
    for resolved in protected:
        if resolved.end in site.fabric.wiring.of and resolved.end.device in hosts:
            yield finding(
                {"end": resolved.end, "device": resolved.end.device},
                where=(site.places.of(resolved, "protected"),),
                edits=[of_port(resolved.end.device, resolved.stated, "protected", False)],
            )


@rule(
    "protected-only-here",
    family=FAMILY,
    severity=Severity.NOTE,
    what="protected ports of one VLAN are on several switches",
    why=(
        "protection ends at the switch: a protected port of one switch talks with those of the next"
        " over the uplink"
    ),
    cure="use an isolated private VLAN, or another VLAN for each switch, if they are to be apart",
    example=(
        "ports of pond-1 and of pond-2 in VLAN 40 are protected, and both switches carry VLAN 40 to"
        " core-1"
    ),
    says="{count} in VLAN {vid} on {switches} talk with each other from switch to switch",
    fix="are they to be apart on all switches? use an isolated private VLAN instead of VLAN {vid}",
)
def protected_only_here(site: Site) -> Iterator[Found]:
    protected: dict[tuple[int, int], dict[str, list[Resolved]]] = {}
    for resolved in site.stating("protected"):
        if (
            resolved.up
            and resolved.completed.protected
            and resolved.end not in site.fabric.wiring.of
        ):
            vid = resolved.view.pvid
            # The first is the port's own; the others are its sub-interfaces'.
            for number in site.fabric.at.get(resolved.end, ())[:1]:
                label = site.domains.of(site.fabric.bridge_ports[number].bridge, vid)
                # In no domain nobody could hear anybody.
                if label >= 0:
                    protected.setdefault((label, vid), {}).setdefault(
                        resolved.end.device, []
                    ).append(resolved)
    for (_, vid), by_device in protected.items():
        # On one switch protection does what it promises.
        if len(by_device) > 1:
            count = sum(map(len, by_device.values()))
            yield finding(
                {
                    "count": counted(count, "protected port"),
                    "vid": vid,
                    "switches": listed(list(by_device)),
                },
                where=tuple(
                    site.places.of(ports[0], "protected", vid) for ports in by_device.values()
                ),
                key=(vid,),
            )
