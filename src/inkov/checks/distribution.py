"""Pruning, the distribution of VLAN definitions, and dynamic registration."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator

from inkov.campus import Distribution, Mode, Role
from inkov.checks.access import by_switch
from inkov.checks.catalogue import Found, Severity, Where, finding, rule
from inkov.checks.causes import VersionDiffers
from inkov.checks.site import DEFAULT_VID, Site
from inkov.edits.make import of_port
from inkov.forwarding.needed import unneeded
from inkov.vlanset import VlanSet, bits_to_text
from inkov.words import agree, both, counted, listed

_FAMILY = "Pruning and distribution"


def _taking_part(site: Site) -> dict[str, Distribution]:
    """The switches that take part in a distribution of VLAN definitions: as origin, follower or
    bystander.
    """
    taking_part = {}
    for device in site.devices:
        shared = device.distribution
        if (
            # Without a domain and a role, nothing of it is in use.
            shared is not None
            and (shared.role is None or shared.role.value is not Role.OFF)
            and (shared.domain is not None or shared.role is not None)
        ):
            taking_part[device.name] = shared
    return taking_part


def _by_domain(site: Site) -> dict[str, dict[str, Distribution]]:
    """The switches that send or take definitions, by the domain they state."""
    by_domain: dict[str, dict[str, Distribution]] = {}
    for name, shared in _taking_part(site).items():
        # A bystander passes definitions on and takes none.
        if shared.role is None or shared.role.value in (Role.ORIGIN, Role.FOLLOWER):
            by_domain.setdefault(shared.domain.value if shared.domain is not None else "", {})[
                name
            ] = shared
    return by_domain


def _is(shared: Distribution, role: Role) -> bool:
    return shared.role is not None and shared.role.value is role


@rule(
    "pruning-off",
    family=_FAMILY,
    severity=Severity.NOTE,
    what="trunks carry VLANs that nobody needs there, while pruning is turned off",
    why="every broadcast of these VLANs crosses links behind which nobody listens",
    cure="turn pruning on, or list what is needed on each trunk",
    example="core-1 has pruning off, and VLANs 10-60 cross to gate-1, where only VLAN 50 is used",
    says="{name} has pruning off, and VLAN {surplus} crosses its trunks to where nobody needs it",
    fix="turn pruning on, or list what is needed on each trunk",
)
def pruning_off(site: Site) -> Iterator[Found]:
    stated = {d.name: d.distribution.pruning for d in site.devices if d.distribution is not None}
    off = {name: fact for name, fact in stated.items() if fact is not None and not fact.value}
    wasted: dict[str, int] = {}
    # Only trunks of switches that have pruning off.
    for joined in site.trunk_links if off else ():
        natives = [r.native for r in (joined.a, joined.b) if r.native]
        surplus = unneeded(
            site.shared[joined.number], site.needs[joined.number], (*natives, DEFAULT_VID)
        )
        # Both ends may have it off: each sends the surplus one way.
        for resolved in (joined.a, joined.b):
            if surplus and resolved.end.device in off:
                wasted[resolved.end.device] = wasted.get(resolved.end.device, 0) | surplus
    for name, surplus in wasted.items():
        yield finding(
            {"name": name, "surplus": bits_to_text(surplus)},
            where=(Where(name, None, None, off[name].origin),),
        )


@rule(
    "prunable-inverted",
    family=_FAMILY,
    severity=Severity.RISK,
    what="the list of VLANs that may be pruned holds just those that are needed",
    why=(
        "the list was read as its opposite: only the VLANs named can be withheld, and all that"
        " should be withheld cannot"
    ),
    cure="name the VLANs that may be pruned, not those that must stay",
    example=(
        "core-1 port 3 may prune 10,20 only; 10 and 20 are needed behind it, and 30-60 cross for"
        " nothing"
    ),
    says=(
        "{end} may prune VLAN {value} only, all of them needed; VLAN {stays}, which nobody needs"
        " there, may not be pruned"
    ),
    fix="let {end} prune VLAN {stays} instead",
)
def prunable_inverted(site: Site) -> Iterator[Found]:
    for resolved in site.stating("prunable"):
        fact = resolved.stated.prunable
        needs = shared = 0
        for number in site.link_numbers.get(resolved.end, ()):
            needs |= site.needs[number]
            shared |= site.shared[number]
        # A list that names nothing, or of a port that is down, withholds nothing.
        if fact is None or not fact.value or not resolved.up:
            continue
        named = fact.value.bits
        stays = shared & ~needs & ~named & ~(1 << (resolved.native or 0)) & ~(1 << DEFAULT_VID)
        # All that is named is needed, and something that nobody needs is not named.
        if not named & ~needs and stays:
            yield finding(
                {"end": resolved.end, "value": fact.value, "stays": bits_to_text(stays)},
                where=(Where(resolved.end.device, resolved.end.port, None, fact.origin),),
            )


@rule(
    "distribution-domains-differ",
    family=_FAMILY,
    severity=Severity.RISK,
    what="two linked switches take VLAN definitions from different domains",
    why="definitions stop at this link: a VLAN made on one side never comes to the other",
    cure="state the same domain on both, or turn distribution off where it is not meant",
    example="core-1 is in domain 'garden', gate-1 at the other end of the link in domain 'gardens'",
    says="{odd} is in domain {odd_mode!r}, and {others}, linked to it, in {usual!r}",
    fix="is one domain meant? state it on both, or turn distribution off where it is not meant",
)
def distribution_domains_differ(site: Site) -> Iterator[Found]:
    stated = {
        name: shared.domain
        for name, shared in _taking_part(site).items()
        if shared.domain is not None
    }
    for odd, others in site.odd_neighbours({name: fact.value for name, fact in stated.items()}):
        usual = stated[others[0]].value
        yield finding(
            {"odd": odd, "odd_mode": stated[odd].value, "others": listed(others), "usual": usual},
            where=tuple(site.places.switch(name, stated[name].origin) for name in (odd, *others)),
            key=(odd,),
        )


@rule(
    "distribution-versions-differ",
    family=_FAMILY,
    severity=Severity.RISK,
    what="switches of one domain run different versions of the distribution",
    why="versions do not understand each other in full: tables differ, and nobody sees why",
    cure="state the same version on all switches of the domain",
    example="core-1 runs version 3, gate-1 in the same domain version 1",
    says="the domain {domain!r} runs several versions: {by_version}",
    fix="state the same version on all",
)
def distribution_versions_differ(site: Site) -> Iterator[Found]:
    for domain, members in _by_domain(site).items():
        stated = {
            name: shared.version for name, shared in members.items() if shared.version is not None
        }
        versions = sorted({fact.value for fact in stated.values()})
        # One version everywhere is as it should be.
        if len(versions) > 1:
            by_version = [
                f"{v} on {listed([n for n, f in stated.items() if f.value == v])}" for v in versions
            ]
            yield finding(
                {"domain": domain, "by_version": "; ".join(by_version)},
                where=tuple(site.places.switch(name, fact.origin) for name, fact in stated.items()),
                cause=VersionDiffers(odd) if (odd := _odd_version(members)) else None,
                key=(domain,),
            )


def _odd_version(members: dict[str, Distribution]) -> str:
    """The one switch of a domain whose version no other runs; "" where there is no such one."""
    stated = {n: s.version.value for n, s in members.items() if s.version is not None}
    number = Counter(stated.values())
    odd = [name for name, version in stated.items() if number[version] == 1]
    # One against all others: with three versions nobody is the odd one.
    return odd[0] if len(odd) == 1 and len(number) == 2 else ""


@rule(
    "distribution-follower-newest",
    family=_FAMILY,
    severity=Severity.FAULT,
    what="a follower has a higher revision than every origin of its domain",
    why=(
        "the highest revision wins: the table of a switch that should only follow replaces the"
        " tables of all others"
    ),
    cure=(
        "set the revision of the follower back before it is connected, and compare its VLAN table"
        " with the origin's"
    ),
    example=(
        "gate-1 follows in domain 'garden' with revision 41, and the origin core-1 has revision 17"
    ),
    says=(
        "{name} only follows in domain {domain!r}, and has revision {value}; the highest of an"
        " origin is {highest}"
    ),
    fix="set the revision of {name} back, and compare its VLAN table with the origin's",
)
def distribution_follower_newest(site: Site) -> Iterator[Found]:
    for domain, members in _by_domain(site).items():
        origins = [
            s.revision for s in members.values() if _is(s, Role.ORIGIN) and s.revision is not None
        ]
        highest = max((fact.value for fact in origins), default=None)
        # Without an origin that states its revision there is nothing to compare with.
        for name, shared in members.items() if highest is not None else ():
            if (
                _is(shared, Role.FOLLOWER)
                and shared.revision is not None
                and shared.revision.value > (highest or 0)
            ):
                yield finding(
                    {
                        "name": name,
                        "domain": domain,
                        "value": shared.revision.value,
                        "highest": highest,
                    },
                    where=(
                        site.places.switch(name, shared.revision.origin),
                        *(
                            site.places.switch(n, s.revision.origin)
                            for n, s in members.items()
                            if _is(s, Role.ORIGIN) and s.revision is not None
                        ),
                    ),
                    key=(name,),
                )


@rule(
    "distribution-no-origin",
    family=_FAMILY,
    severity=Severity.RISK,
    what="switches follow in a domain that has no origin",
    why=(
        "no VLAN can be made or changed: the followers keep what they heard last, until they"
        " restart"
    ),
    cure="make one switch the origin, or turn distribution off",
    example="gate-1 and palm-1 follow in domain 'garden', and no switch is its origin",
    says="{followers} {follow} in domain {domain!r}, which has no origin among the files",
    fix="which switch is to be the origin? make it so, or turn distribution off",
)
def distribution_no_origin(site: Site) -> Iterator[Found]:
    for domain, members in _by_domain(site).items():
        followers = [(n, s.role) for n, s in members.items() if _is(s, Role.FOLLOWER)]
        # An origin without a file would be somewhere else: told as "among the files".
        if followers and not any(_is(s, Role.ORIGIN) for s in members.values()):
            yield finding(
                {
                    "followers": listed([n for n, _ in followers]),
                    "follow": agree(len(followers), "follows", "follow"),
                    "domain": domain,
                },
                where=tuple(
                    site.places.switch(name, role.origin)
                    for name, role in followers
                    if role is not None
                ),
                key=(domain,),
            )


@rule(
    "distribution-origins-differ",
    family=_FAMILY,
    severity=Severity.FAULT,
    what="several origins of one domain have different VLAN tables",
    why=(
        "the one with the higher revision rewrites the other at the next change, and VLANs vanish"
        " campus-wide"
    ),
    cure="leave one origin, or bring the tables to the same state",
    example="core-1 and core-2 are both origins of 'garden', and only core-2 has VLAN 40",
    says="{origins} are origins of domain {domain!r}, and differ in VLAN {differ}: {by_origin}",
    fix="which origin is right? leave that one, or bring the tables to the same state",
)
def distribution_origins_differ(site: Site) -> Iterator[Found]:
    for domain, members in _by_domain(site).items():
        origins = [
            # A table that is not known differs from nothing.
            n
            for n, s in members.items()
            if _is(s, Role.ORIGIN) and site.defined(n) is not None
        ]
        tables = {name: site.defined(name) or VlanSet() for name in origins}
        differ = VlanSet()
        for name in origins[1:]:
            differ = differ | (tables[name] ^ tables[origins[0]])
        differ = differ - VlanSet.of(DEFAULT_VID)
        if differ:
            by_origin = [f"{n} has {differ & tables[n] or 'none'} of them" for n in origins]
            yield finding(
                {
                    "origins": both(origins),
                    "domain": domain,
                    "differ": differ,
                    "by_origin": "; ".join(by_origin),
                },
                where=tuple(
                    site.places.switch(n, role.origin)
                    for n in origins
                    if (role := members[n].role) is not None
                ),
                key=(domain,),
            )


@rule(
    "distribution-not-carried",
    family=_FAMILY,
    severity=Severity.RISK,
    what="a VLAN has a number that this version of the distribution does not carry",
    why=(
        "it is not made on the followers: it must be defined by hand there, or a newer version used"
    ),
    cure="use a number that is carried, a version that carries it, or no distribution",
    example=(
        "the plan says version 1 carries 1-900, and the origin core-1 with version 1 has VLAN 2000"
    ),
    says="{name} has VLAN {vids}, and version {value} of the distribution carries only {carried}",
    fix=(
        "what can change? use numbers that are carried, a version that carries them, or no"
        " distribution"
    ),
)
def distribution_not_carried(site: Site) -> Iterator[Found]:
    practice = site.plan.practice.distribution
    for members in _by_domain(site).values():
        for name, shared in members.items():
            carried = (
                practice.carries.get(shared.version.value) if shared.version is not None else None
            )
            table = site.defined(name)
            # A version of which the plan says nothing carries all.
            if (
                carried is not None
                and table is not None
                and shared.version is not None
                and table - carried
            ):
                vids = table - carried
                yield finding(
                    {"name": name, "vids": vids, "value": shared.version.value, "carried": carried},
                    where=(
                        site.places.switch(name, shared.version.origin),
                        *(site.places.row(name, vid) for vid in list(vids)[:8]),
                    ),
                    key=(name,),
                    about=vids.bits,
                )


@rule(
    "private-not-distributed",
    family=_FAMILY,
    severity=Severity.RISK,
    what="private VLANs are defined on a switch whose part in the distribution does not allow them",
    why=(
        "where definitions are sent or taken, the private part is lost: an isolated VLAN becomes an"
        " ordinary one"
    ),
    cure=(
        "make the switch a bystander (or turn distribution off), or use a version that carries"
        " private VLANs"
    ),
    example="palm-1 follows in domain 'garden', and defines VLAN 31 as isolated",
    says="{name} is {value} in its domain, and has private VLANs {vids}",
    fix=(
        "make {name} a bystander, or use a version that carries private VLANs and say so in the"
        " plan"
    ),
)
def private_not_distributed(site: Site) -> Iterator[Found]:
    for members in _by_domain(site).values():
        for name, shared in members.items():
            rows = [
                v for v in (site.fabric.device(name).vlans or {}).values() if v.private is not None
            ]
            carries = (
                shared.version is not None
                and shared.version.value in site.plan.practice.distribution.private
            )
            # A bystander keeps its own table: nothing is lost on the way.
            if rows and not carries and shared.role is not None:
                yield finding(
                    {
                        "name": name,
                        "value": shared.role.value,
                        "vids": listed([str(v.vid) for v in rows]),
                    },
                    where=(
                        site.places.switch(name, shared.role.origin),
                        *(
                            Where(name, None, v.vid, v.private.origin)
                            for v in rows
                            if v.private is not None
                        ),
                    ),
                    cause=VersionDiffers(name) if name == _odd_version(members) else None,
                    key=(name,),
                )


@rule(
    "distribution-unprotected",
    family=_FAMILY,
    severity=Severity.RISK,
    what="a domain that distributes VLAN definitions has no password on some of its switches",
    why=(
        "whoever connects a switch with the domain's name and a high revision rewrites every VLAN"
        " table"
    ),
    cure="set the same password on all switches of the domain, or turn distribution off",
    example="core-1 is the origin of domain 'garden', and no password is set",
    says="no password protects domain {domain!r} on {switches}",
    fix="set the same password on all switches of the domain, or turn distribution off",
)
def distribution_unprotected(site: Site) -> Iterator[Found]:
    for domain, members in _by_domain(site).items():
        # A password that nobody states is none.
        open_ones = {n: s for n, s in members.items() if s.password is None or not s.password.value}
        if open_ones:
            yield finding(
                {"domain": domain, "switches": listed(list(open_ones))},
                where=tuple(
                    site.places.switch(n, (s.password or s.domain or s.role or s).origin)
                    for n, s in open_ones.items()
                ),
                key=(domain,),
            )


@rule(
    "registration-at-host-port",
    family=_FAMILY,
    severity=Severity.RISK,
    what="a host port takes part in dynamic VLAN registration",
    why="whoever is plugged in there only has to register a VLAN to be in it",
    cure="turn dynamic registration off at ports where hosts are",
    example="dynamic registration is on at gate-1 port 5, where a till is plugged in",
    says="{count} of {device} {take} part in dynamic registration: {ports}",
    fix="turn dynamic registration off there",
)
def registration_at_host_port(site: Site) -> Iterator[Found]:
    of = site.fabric.wiring.of
    ports = [
        r
        for r in site.stating("registration")
        # At a link it may be meant; at a host's port anybody can register.
        if r.up and r.completed.registration and r.end not in of and r.mode is not Mode.ROUTED
    ]
    for device, registering in by_switch(ports).items():
        yield finding(
            {
                "count": counted(len(registering), "host port"),
                "device": device,
                "take": agree(len(registering), "takes", "take"),
                "ports": listed([r.end.port for r in registering]),
            },
            where=tuple(site.places.of(r, "registration") for r in registering),
            edits=[of_port(device, r.stated, "registration", False) for r in registering],
        )
