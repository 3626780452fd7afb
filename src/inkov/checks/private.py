"""Private VLANs (RFC 5517): associations, mappings and trunks."""

from __future__ import annotations

from collections.abc import Iterator

from inkov.campus import Device, Fact, Mode, Private, Vlan
from inkov.checks.catalogue import Found, Severity, Where, finding, rule
from inkov.checks.causes import LinkFails, SecondaryAlone, VlanAbsent
from inkov.checks.site import Site
from inkov.edits import Edit, Kind
from inkov.edits.make import allowing, of_port, of_row, usual_name
from inkov.vlanset import VlanSet, bits_to_text
from inkov.words import both, listed

FAMILY = "Private VLANs and protected ports"


def _primaries(device: Device) -> dict[int, VlanSet]:
    """The primary VLANs of a switch and their secondaries."""
    rows = (device.vlans or {}).values()
    return {
        v.vid: v.secondaries.value if v.secondaries is not None else VlanSet()
        for v in rows
        if v.secondaries is not None
        or (v.private is not None and v.private.value is Private.PRIMARY)
    }


def _secondaries(device: Device) -> dict[int, Private]:
    rows = (device.vlans or {}).values()
    return {
        v.vid: v.private.value
        for v in rows
        if v.private is not None and v.private.value is not Private.PRIMARY
    }


def _private_devices(site: Site) -> list[Device]:
    return [
        d
        for d in site.devices
        if any(v.private is not None or v.secondaries is not None for v in (d.vlans or {}).values())
    ]


@rule(
    "secondary-undefined",
    family=FAMILY,
    severity=Severity.FAULT,
    what="a primary VLAN is associated with a secondary that the switch does not define as one",
    why="hosts in that secondary are cut off, or in an ordinary VLAN where they meet each other",
    cure="define the secondary as isolated or community, or take it out of the association",
    example="VLAN 30 of palm-1 is primary of 31,32, and VLAN 32 is not defined",
    says={
        "ordinary": (
            "VLAN {primary} of {device} is primary of VLAN {vid}, which {device} defines as an"
            " ordinary VLAN"
        ),
        "undefined": (
            "VLAN {primary} of {device} is primary of VLAN {vid}, which {device} does not define"
        ),
    },
    fix={
        "known": "define VLAN {vid} on {device} as {kind}",
        "unknown": "define VLAN {vid} on {device}: as isolated or as community?",
    },
)
def secondary_undefined(site: Site) -> Iterator[Found]:
    elsewhere: dict[int, set[Private]] = {}
    for device in _private_devices(site):
        for vid, kind in _secondaries(device).items():
            elsewhere.setdefault(vid, set()).add(kind)
    for device in _private_devices(site):
        known = _secondaries(device)
        for primary, listed_ones in _primaries(device).items():
            for vid in listed_ones:
                # Defined as a secondary: nothing is missing.
                if vid in known:
                    continue
                # What it is elsewhere it is meant to be here, if all agree.
                kinds = elsewhere.get(vid, set())
                yield finding(
                    {
                        "primary": primary,
                        "device": device.name,
                        "vid": vid,
                        "kind": next(iter(kinds), None),
                    },
                    case=(
                        "ordinary" if vid in (device.vlans or {}) else "undefined",
                        "known" if len(kinds) == 1 else "unknown",
                    ),
                    where=tuple(
                        dict.fromkeys(
                            (
                                site.places.row(device.name, primary),
                                site.places.row(device.name, vid),
                            )
                        )
                    ),
                    cause=VlanAbsent(vid, device.name),
                    vlans=1 << vid,
                    key=(device.name, str(primary), str(vid)),
                    edits=_private(site, device, vid, *kinds) if len(kinds) == 1 else (),
                )


def _private(site: Site, device: Device, vid: int, kind: Private) -> list[Edit]:
    """A VLAN that is defined as a secondary."""
    # Not there at all, or there as an ordinary VLAN.
    row = device.row(vid)
    if row is None:
        name = usual_name(site.fabric.campus, vid)
        new = Vlan(vid, device.origin, name, private=Fact(kind, device.origin))
        return [Edit(device.name, Kind.VLAN, str(vid), "", None, new)]
    return [of_row(device.name, row, "private", kind)]


@rule(
    "secondary-unassociated",
    family=FAMILY,
    severity=Severity.FAULT,
    what="an isolated or community VLAN is associated with no primary VLAN",
    why="its hosts hear nobody: a secondary reaches the rest of the network by its primary only",
    cure="associate it with its primary VLAN",
    example="VLAN 31 of palm-1 is isolated, and no VLAN of palm-1 is its primary",
    says="VLAN {vid} of {device} is {kind}, and associated with no primary VLAN",
    fix={
        "known": "associate VLAN {vid} with its primary {primary} on {device}",
        "unknown": "associate VLAN {vid} on {device}: with which primary, and on which switches?",
    },
)
def secondary_unassociated(site: Site) -> Iterator[Found]:
    primaries: dict[int, set[int]] = {}
    for device in _private_devices(site):
        for primary, secondaries in _primaries(device).items():
            for vid in secondaries:
                primaries.setdefault(vid, set()).add(primary)
    for device in _private_devices(site):
        associated = VlanSet()
        for listed_ones in _primaries(device).values():
            associated = associated | listed_ones
        for vid, kind in _secondaries(device).items():
            if vid not in associated:
                # Of the primaries that other switches have for it, those that this one has.
                of_others = primaries.get(vid, set()) & set(_primaries(device))
                yield finding(
                    {
                        "vid": vid,
                        "device": device.name,
                        "kind": kind,
                        "primary": next(iter(of_others), None),
                    },
                    case="known" if len(of_others) == 1 else "unknown",
                    where=(site.places.row(device.name, vid),),
                    cause=SecondaryAlone(vid, device.name),
                    vlans=1 << vid,
                    edits=_associated(device, vid, *of_others) if len(of_others) == 1 else (),
                )


def _associated(device: Device, vid: int, primary: int) -> list[Edit]:
    """A secondary with its primary."""
    row = device.row(primary)
    # The primary states no list that it could be added to.
    if row is None or row.secondaries is None:
        return []
    return [of_row(device.name, row, "secondaries", row.secondaries.value | VlanSet.of(vid))]


@rule(
    "association-differs",
    family=FAMILY,
    severity=Severity.FAULT,
    what="a private VLAN is made up differently on different switches",
    why=(
        "what is isolated on one switch is not on the next: frames of the secondary are lost there,"
        " or leak"
    ),
    cure="make the same association, and the same kinds of secondaries, on every switch",
    example="VLAN 30 is primary of 31,32 on palm-1, and of 31 on palm-2",
    says={
        "lists": "VLAN {primary} is primary of {lists}",
        "both": "; ",
        "kinds": "{kinds}",
    },
    fix=(
        "which secondaries does VLAN {primary} have, and of which kinds? associate the same on all"
        " switches"
    ),
)
def association_differs(site: Site) -> Iterator[Found]:
    made: dict[int, dict[str, tuple[VlanSet, tuple[tuple[int, str], ...]]]] = {}
    for device in _private_devices(site):
        kinds = _secondaries(device)
        for primary, listed_ones in _primaries(device).items():
            shown = tuple((vid, str(kinds[vid])) for vid in listed_ones if vid in kinds)
            made.setdefault(primary, {})[device.name] = listed_ones, shown
    for primary, by_device in made.items():
        lists = {listed_ones for listed_ones, _ in by_device.values()}
        whole = VlanSet()
        for vlans in lists:
            whole = whole | vlans
        kinds_of: dict[int, dict[str, list[str]]] = {}
        for name, (_, shown) in by_device.items():
            for vid, kind in shown:
                kinds_of.setdefault(vid, {}).setdefault(kind, []).append(name)
        # Kinds may differ although the lists are alike.
        mixed = [
            f"VLAN {vid} is {both([f'{kind} on {listed(n)}' for kind, n in kinds.items()])}"
            for vid, kinds in kinds_of.items()
            if len(kinds) > 1
        ]
        if len(lists) > 1 or mixed:
            by_list = (
                [
                    f"{vlans} on {listed([n for n, (own, _) in by_device.items() if own == vlans])}"
                    for vlans in sorted(lists, key=str)
                ]
                if len(lists) > 1
                else []
            )
            yield finding(
                {
                    "primary": primary,
                    "lists": ", of ".join(by_list),
                    "kinds": "; ".join(mixed),
                },
                case=(
                    ("lists", "both", "kinds")
                    if by_list and mixed
                    else "lists"
                    if by_list
                    else "kinds"
                ),
                where=tuple(site.places.row(name, primary) for name in by_device),
                vlans=whole.bits,
                key=(primary,),
            )


@rule(
    "promiscuous-mapping-incomplete",
    family=FAMILY,
    severity=Severity.FAULT,
    what="a promiscuous port does not map all secondaries of its primary VLAN",
    why="the gateway or server behind it does not hear the hosts of the secondaries left out",
    cure="map all secondaries of the primary at the port",
    example="VLAN 30 is primary of 31,32, and the promiscuous port 1 of palm-1 maps 31 only",
    says="{end} is promiscuous in VLAN {primary}, and does not map VLAN {missing}, secondary to it",
    fix="map VLAN {missing} at {end}",
)
def promiscuous_mapping_incomplete(site: Site) -> Iterator[Found]:
    for resolved in site.stating("primary"):
        primary = resolved.completed.primary
        # A port that is shut, or of another mode, maps nothing.
        if not resolved.up or resolved.mode is not Mode.PROMISCUOUS or not primary:
            continue
        wanted = _primaries(site.fabric.device(resolved.end.device)).get(primary, VlanSet())
        missing = wanted - resolved.completed.secondaries
        if missing:
            yield finding(
                {"end": resolved.end, "primary": primary, "missing": missing},
                where=(
                    site.places.of(resolved, "secondaries", primary),
                    site.places.row(resolved.end.device, primary),
                ),
                vlans=missing.bits,
                edits=[
                    of_port(
                        resolved.end.device,
                        resolved.stated,
                        "secondaries",
                        resolved.completed.secondaries | missing,
                    )
                ],
            )


@rule(
    "private-host-mismatch",
    family=FAMILY,
    severity=Severity.FAULT,
    what="a private host port has a secondary VLAN of another primary",
    why=(
        "the host sends into one private VLAN and hears another: it reaches nobody, and others hear"
        " what it sends"
    ),
    cure="state the primary that the secondary belongs to",
    example="palm-1 port 5 has primary 30 and secondary 41, and VLAN 41 is secondary to VLAN 40",
    says={
        "mismatch": "{end} has primary VLAN {primary} and secondary VLAN {vid}, which is secondary",
        "others": " to VLAN {owners}",
        "none": " to none",
    },
    fix={
        "others": "state at {end} the primary that VLAN {vid} belongs to: {owners}",
        "none": (
            "which secondary is meant? state it at {end}, or associate VLAN {vid} with"
            " VLAN {primary}"
        ),
    },
)
def private_host_mismatch(site: Site) -> Iterator[Found]:
    for resolved in site.stating("primary"):
        primary, vid = resolved.completed.primary, resolved.completed.secondary
        # Without both VLANs the port does nothing.
        if not resolved.up or resolved.mode is not Mode.PRIVATE_HOST or not primary or not vid:
            continue
        made = _primaries(site.fabric.device(resolved.end.device))
        owners = [p for p, listed_ones in made.items() if vid in listed_ones]
        device = resolved.end.device
        # A secondary that nobody associates is told as that.
        alone = not owners and vid in _secondaries(site.fabric.device(device))
        if made and primary not in owners:
            yield finding(
                {
                    "end": resolved.end,
                    "primary": primary,
                    "vid": vid,
                    "owners": listed([str(p) for p in owners]),
                },
                case=("mismatch", "others" if owners else "none"),
                where=(
                    site.places.of(resolved, "secondary", vid),
                    site.places.of(resolved, "primary", primary),
                ),
                cause=SecondaryAlone(vid, device) if alone else None,
                key=(str(resolved.end),),
                edits=[of_port(device, resolved.stated, "primary", owners[0])]
                if len(owners) == 1
                else (),
            )


@rule(
    "private-port-incomplete",
    family=FAMILY,
    severity=Severity.FAULT,
    what=(
        "a private host port has no primary or no secondary VLAN, or a promiscuous port no primary"
    ),
    why="such a port forwards nothing: whoever is behind it is cut off",
    cure="state what is missing at the port, or make it another kind of port",
    example="palm-1 port 5 is a private host port with secondary VLAN 31, and has no primary VLAN",
    says={
        "host": "{end} is a private host port, and has no {lacking} VLAN: it forwards nothing",
        "promiscuous": "{end} is promiscuous, and has no primary VLAN: it forwards nothing",
    },
    fix={
        "owner": "state at {end} the primary that VLAN {vid} belongs to: {owner}",
        "choice": "which private VLAN is meant? state it at {end}, or make it another kind of port",
    },
)
def private_port_incomplete(site: Site) -> Iterator[Found]:
    for resolved in site.ports:
        primary, vid = resolved.completed.primary, resolved.completed.secondary
        host = resolved.mode is Mode.PRIVATE_HOST
        # A promiscuous port without secondaries serves its primary all the same.
        complete = primary and (vid or not host)
        if complete or not (host or resolved.mode is Mode.PROMISCUOUS):
            continue
        device = resolved.end.device
        made = _primaries(site.fabric.device(device))
        # A primary is sure where only one has the secondary that is stated.
        owners = [p for p, of in made.items() if vid in of] if host and vid else []
        sure = len(owners) == 1
        lacking = [name for name, of in (("primary", primary), ("secondary", vid)) if not of]
        yield finding(
            {
                "end": resolved.end,
                "lacking": " and no ".join(lacking),
                "vid": vid,
                "owner": listed([str(p) for p in owners]),
            },
            case=("host" if host else "promiscuous", "owner" if sure else "choice"),
            where=(
                site.places.of(resolved, "mode", (vid if host else None) or primary),
                *(site.places.row(device, owner) for owner in owners if sure),
            ),
            assumes=site.places.assumed_for((resolved, "mode")),
            key=(str(resolved.end),),
            edits=[of_port(device, resolved.stated, "primary", owners[0])] if sure else (),
        )


@rule(
    "trunk-lacks-secondaries",
    family=FAMILY,
    severity=Severity.FAULT,
    what=(
        "a trunk carries a primary VLAN and not all its secondaries, or secondaries without their"
        " primary"
    ),
    why=(
        "what hosts send crosses in the secondary, and what they hear in the primary: half of each"
        " conversation is lost"
    ),
    cure="allow the primary with all its secondaries at both ends",
    example=(
        "the trunk from palm-1 to palm-2 allows VLAN 30 and not 31, which is secondary to it on"
        " both switches"
    ),
    says="the trunk between {a} and {b} carries {what}",
    fix="allow VLAN {missing} at {a} and at {b}",
)
def trunk_lacks_secondaries(site: Site) -> Iterator[Found]:
    made = {device.name: _primaries(device) for device in _private_devices(site)}
    for joined in site.trunk_links if made else ():
        a, b = joined.a, joined.b
        one, other = made.get(a.end.device, {}), made.get(b.end.device, {})
        # Only where both switches make it a private VLAN can it cross as one.
        for primary in sorted(one.keys() & other.keys()):
            both_have = one[primary] & other[primary]
            crosses = site.shared[joined.number]
            # The primary crosses, so its secondaries have to; or the other way round.
            missing = (
                both_have.bits & ~crosses
                if crosses >> primary & 1
                else (1 << primary if both_have.bits & crosses else 0)
            )
            # Where the lists allow it, it is kept off for another reason, told as such.
            missing &= ~(a.allowed & b.allowed).bits
            if missing:
                what = (
                    "VLAN {0}, but not its secondary VLAN {1}"
                    if crosses >> primary & 1
                    else "secondaries of VLAN {0}, but not VLAN {0} itself"
                )
                yield finding(
                    {
                        "a": a.end,
                        "b": b.end,
                        "what": what.format(primary, bits_to_text(missing)),
                        "missing": bits_to_text(missing),
                    },
                    where=(
                        site.places.of(a, "allowed", primary),
                        site.places.of(b, "allowed", primary),
                    ),
                    vlans=missing,
                    cause=LinkFails(joined.link),
                    edits=[
                        edit
                        for r in (a, b)
                        for edit in allowing(
                            r.end.device,
                            r.stated,
                            r.completed.allowed,
                            r.completed.allowed | VlanSet(missing),
                        )
                        if r.mode is Mode.TRUNK
                    ],
                )


@rule(
    "private-unsupported",
    family=FAMILY,
    severity=Severity.FAULT,
    what="private VLANs are used on a switch of a make that cannot do them, as the plan says",
    why=(
        "the switch takes them for ordinary VLANs: hosts that are to be isolated meet each other"
        " there"
    ),
    cure="keep private VLANs off this switch, or end them before it",
    example=(
        "the plan says that arbour switches cannot do private VLANs, and fern-2 has an isolated"
        " VLAN 31"
    ),
    says=(
        "{device} is a {name} switch, which cannot do private VLANs, and has VLAN {vids} as private"
        " ones"
    ),
    fix="where else can these hosts be? keep private VLANs off {device}",
)
def private_unsupported(site: Site) -> Iterator[Found]:
    for device in _private_devices(site):
        for name, platform in site.plan.platforms.items():
            # The plan speaks of makes: only a switch of that make is concerned.
            if device.platform.name == name and not platform.private_vlans:
                rows = [v.vid for v in (device.vlans or {}).values() if v.private is not None]
                yield finding(
                    {"device": device.name, "name": name, "vids": listed([str(v) for v in rows])},
                    where=(
                        *(site.places.row(device.name, vid) for vid in rows),
                        Where("", None, None, platform.origin),
                    ),
                    key=(device.name,),
                )
