"""Spanning trees as they are worked out: what guards shut, what is seen otherwise, regions that
fall apart, settings that cannot be (IEEE 802.1Q, clause 13; FM 7).

A campus of which no switch says anything about a spanning tree is not judged; nor is a tree of
which it is not sure which ports forward.
"""

from __future__ import annotations

from collections.abc import Iterator

from inkov.campus import Device, Fact, Origin, TreeMode
from inkov.checks.catalogue import Found, Severity, Where, finding, rule
from inkov.checks.site import Site
from inkov.forwarding.trees.settings import odd_settings
from inkov.survey.trees import tree_row
from inkov.words import listed

_FAMILY = "Spanning tree"


@rule(
    "guard-shuts-link",
    family=_FAMILY,
    severity=Severity.FAULT,
    what="a port towards another switch has the guard against bridges",
    why=(
        "the first message of the other switch shuts the port: the link is lost until somebody"
        " opens it"
    ),
    cure="take the guard off ports towards switches",
    example="core-1 port 1, a link to gate-1, has the guard that is meant for host ports",
    says="{says}",
    fix="is the switch behind {end} meant to be there? then take the guard off {end}",
)
def guard_shuts_link(site: Site) -> Iterator[Found]:
    now = site.now
    for number, doubt in (now.trees.disabled if now is not None else {}).items():
        port = site.fabric.bridge_ports[number]
        yield finding(
            {"says": doubt.says(), "end": port.end},
            where=(Where(port.end.device, port.end.port, None, doubt.origin),),
            key=(str(port.end),),
        )


@rule(
    "tree-seen-otherwise",
    family=_FAMILY,
    severity=Severity.RISK,
    what="a switch reports another state of a port than the spanning tree should have it in",
    why=(
        "something is not as the files say: a link is down, a cost or priority was changed, or a"
        " switch that nobody knows of takes part"
    ),
    cure="look what is there: the link, the costs, who is root",
    example="gate-1 port 2 should block, by all costs and priorities, and is seen forwarding",
    says={
        "port": "{end} is seen {seen}, and by what the files say it is {state} ({role})",
        "root": "{end} sees {seen} as root, and by what the files say {state} is root",
    },
    fix="is there a link, cost or switch that the files do not have? collect them again",
)
def tree_seen_otherwise(site: Site) -> Iterator[Found]:
    told: set[tuple[str, str]] = set()
    for tree in site.now.trees.trees if site.now is not None else ():
        row = tree_row(site.fabric, tree, tree.vlans, seen_only=True)
        for seen_root in row.seen_roots:
            # Several trees see the same root.
            if seen_root.differs and (seen_root.switch, seen_root.address) not in told:
                told.add((seen_root.switch, seen_root.address))
                root = (
                    seen_root.root
                    if seen_root.root is not None
                    else f"a bridge with address {seen_root.address}"
                )
                yield finding(
                    {"end": seen_root.switch, "seen": root, "state": row.root},
                    case="root",
                    where=(site.places.switch(seen_root.switch, seen_root.origin),),
                    key=(seen_root.switch,),
                )
        # Where it is not sure what a port should be, nothing can differ from it.
        for port in row.ports if tree.sure else ():
            if port.differs and port.seen_origin is not None:
                seen = port.seen_state or port.seen_role
                yield finding(
                    {
                        "end": f"{port.switch}:{port.port}",
                        "seen": seen,
                        "state": port.state,
                        "role": port.role,
                    },
                    case="port",
                    where=(Where(port.switch, port.port, None, port.seen_origin),),
                    key=(f"{port.switch}:{port.port}",),
                )


@rule(
    "regions-differ",
    family=_FAMILY,
    severity=Severity.RISK,
    what="two linked switches are nearly of one region of spanning trees, and are not",
    why=(
        "each is a region of its own then: instances end at the link, and all VLANs take the common"
        " way"
    ),
    cure="state the same name, revision and VLANs of instances on both",
    example="gate-1 has VLAN 20 in another instance than core-1, and the same name of the region",
    says="{odd} and {others}, linked to it, are not of one region: {difference}",
    fix="which is meant? state the same on all",
)
def regions_differ(site: Site) -> Iterator[Found]:
    regions = {
        device.name: repr(
            (
                device.region.value,
                device.revision.value if device.revision is not None else 0,
                sorted((tree.number, str(tree.vlans)) for tree in device.trees if tree.number),
            )
        )
        for device in site.devices
        if device.region is not None
        and device.tree_mode is not None
        and device.tree_mode.value is TreeMode.MSTP
    }
    for odd, others in site.odd_neighbours(regions):
        one, other = site.fabric.device(odd), site.fabric.device(others[0])
        difference = _region_difference(one, other)
        if difference is not None:
            yield finding(
                {"odd": odd, "others": listed(others), "difference": difference[0]},
                where=(
                    site.places.switch(odd, difference[1]),
                    site.places.switch(others[0], difference[2]),
                    *(
                        site.places.switch(name, site.fabric.device(name).origin)
                        for name in others[1:]
                    ),
                ),
                key=(odd,),
            )


def _region_difference(one: Device, other: Device) -> tuple[str, Origin, Origin] | None:
    """What keeps two switches from being of one region, if one thing does."""
    assert one.region is not None and other.region is not None
    revisions = [device.revision.value if device.revision else 0 for device in (one, other)]
    mappings = [
        {(tree.number, tree.vlans) for tree in device.trees if tree.number}
        for device in (one, other)
    ]
    names = [one.region.value, other.region.value]
    differing = [names[0] != names[1], revisions[0] != revisions[1], mappings[0] != mappings[1]]
    if sum(differing) != 1:
        return None  # the same, or two regions that are meant
    if differing[0]:
        return f"its name is {names[0]!r} and {names[1]!r}", one.region.origin, other.region.origin
    if differing[1]:
        says = f"its revision is {revisions[0]} and {revisions[1]}"
        return says, _origin(one.revision, one), _origin(other.revision, other)
    number = min(number for number, _ in mappings[0] ^ mappings[1])
    places = [
        next((tree.origin for tree in device.trees if tree.number == number), device.origin)
        for device in (one, other)
    ]
    return f"instance {number} has other VLANs", places[0], places[1]


def _origin(fact: Fact[int] | None, device: Device) -> Origin:
    assert device.region is not None
    return fact.origin if fact is not None else device.region.origin


@rule(
    "tree-setting-odd",
    family=_FAMILY,
    severity=Severity.RISK,
    what="a setting of a spanning tree cannot be as it is stated",
    why=(
        "the switch takes something else for it, or refuses it: the tree is another one than is"
        " meant"
    ),
    cure="state a value that can be",
    example="gate-1 states the priority 5000, which is no multiple of 4096",
    says="{switch}: {says}; taken: {taken}",
    fix="what is meant? state a value that can be",
)
def tree_setting_odd(site: Site) -> Iterator[Found]:
    for odd in odd_settings(site.devices):
        yield finding(
            {"switch": odd.switch, "says": odd.says, "taken": odd.taken},
            where=tuple(
                site.places.switch(name, origin)
                for name, origin in ((odd.switch, odd.origin), *odd.others)
            ),
            key=(odd.switch, odd.says),
        )
