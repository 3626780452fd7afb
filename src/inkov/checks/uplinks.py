"""Switches behind others, as the plan has them (`uplinks`), against the cabling."""

from __future__ import annotations

from collections.abc import Iterator

from inkov.campus import Mode
from inkov.checks.catalogue import Found, Severity, Where, finding, rule
from inkov.checks.site import Site
from inkov.forwarding import Fabric
from inkov.forwarding.outlets import passes
from inkov.vlanset import VlanSet
from inkov.wiring import End
from inkov.words import listed

__all__ = ["ends_of", "joined_by"]


@rule(
    "uplink-against-plan",
    family="Links and trunks",
    severity=Severity.FAULT,
    what="a switch is not behind another one as the plan has it (`uplinks`)",
    why="whoever is at the switch has no way to the campus, or not the way that was planned",
    cure="plug it in and set both ends up (`inkov mend --as-planned`), or correct the plan",
    example="the plan has gate-1:24 behind core-1:23, and it is cabled to core-1:24",
    says="the plan has {near} behind {far}: {differences}",
    fix="which is right? make it so with `inkov mend --as-planned`, or correct the plan",
)
def uplink_against_plan(site: Site) -> Iterator[Found]:
    for near, planned in site.plan.uplinks.items():
        ends, unknown = ends_of(site.fabric, near, planned.to)
        wrong = [unknown] if ends is None else _differences(site.fabric, *ends, planned.vlans)
        if wrong:
            places = [] if ends is None else [site.fabric.ports[end] for end in ends]
            yield finding(
                {"near": near, "far": planned.to, "differences": listed(wrong)},
                where=(
                    *(site.places.of(place, "mode") for place in places),
                    Where("", None, None, planned.origin),
                ),
                key=(near, planned.to, *wrong),
            )


def ends_of(fabric: Fabric, near: str, far: str) -> tuple[tuple[End, End] | None, str]:
    """The two ends of an uplink; or None, and what there is not."""
    ends: list[End] = []
    for place in (near, far):
        switch, _, port = place.partition(":")
        device = fabric.campus.devices.get(switch)
        if device is None:
            return None, f"no switch is called {switch}"
        if port not in device.ports:
            return None, f"{switch} has no port {port}"
        ends.append(fabric.end_of(switch, port))
    return (ends[0], ends[1]), ""


def joined_by(fabric: Fabric, one: End, other: End) -> int | None:
    """The number of the link between two ends; None if there is none."""
    for number, link in enumerate(fabric.wiring.links):
        # A cable has no direction.
        if {link.a, link.b} == {one, other}:
            return number
    return None


def _differences(fabric: Fabric, near: End, far: End, vlans: VlanSet | None) -> list[str]:
    """What is not as planned, in words."""
    number = joined_by(fabric, near, far)
    # No cable between them: where each leads is what there is to say.
    if number is None:
        pairs = (near, far), (far, near)
        others = [
            f"{end} leads to {there}"
            for end, wanted in pairs
            for there in fabric.wiring.around(end)
            if there != wanted
        ]
        return others or [f"nobody reports a cable from {near} to {far}"]
    tagging = (Mode.TRUNK, Mode.GENERAL)
    wrong = [
        f"{end} is no trunk"
        for end in (near, far)
        if fabric.ports[end].mode not in tagging and fabric.ports[end].effective_mode not in tagging
    ]
    if not fabric.link_up[number]:
        wrong.append("the link is down")
    passed = passes(fabric, number, near) & passes(fabric, number, far)
    # A link that is no trunk, or down, passes nothing: told already.
    if not wrong and vlans is not None and vlans.bits & ~passed:
        wrong.append(f"VLAN {VlanSet(vlans.bits & ~passed)} does not pass both ways")
    return wrong
