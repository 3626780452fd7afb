"""Access ports: members of VLANs that are not there, ports nobody put anywhere, voice VLANs, ports
out of use.
"""

from __future__ import annotations

import re
from collections.abc import Iterator

from inkov.campus import Accept, Mode, Origin
from inkov.checks.catalogue import Found, Severity, Where, finding, rule
from inkov.checks.causes import RangeOverridden, VlanAbsent
from inkov.checks.site import DEFAULT_VID, Site
from inkov.edits import Edit
from inkov.edits.make import defined, of_port, usual_name
from inkov.forwarding import Resolved
from inkov.plan.schema import UnusedPractice
from inkov.words import agree, counted, listed

_FAMILY = "Access ports"


def by_switch(ports: list[Resolved]) -> dict[str, list[Resolved]]:
    """Ports by their switch, in the order given."""
    ports_of: dict[str, list[Resolved]] = {}
    for resolved in ports:
        ports_of.setdefault(resolved.end.device, []).append(resolved)
    return ports_of


@rule(
    "access-vlan-undefined",
    family=_FAMILY,
    severity=Severity.FAULT,
    what="an access port is in a VLAN that its switch does not define",
    why="a switch forwards only the VLANs it has: whoever is plugged in there reaches nothing",
    cure="define the VLAN on the switch, or move the port to the VLAN that was meant",
    example="palm-2 port 7 is in VLAN 24, and palm-2 has no VLAN 24",
    says="{device} does not define VLAN {vid}, but has {count} in it: {ports}",
    fix="define VLAN {vid} on {device}, or move {the_ports}",
)
def access_vlan_undefined(site: Site) -> Iterator[Found]:
    undefined: dict[tuple[str, int], list[Resolved]] = {}
    for resolved in site.access_ports:
        table, vid = site.defined(resolved.end.device), resolved.access
        # VLAN 1 is there without being listed; without a table nobody can say.
        if table is not None and vid not in table and vid != DEFAULT_VID:
            undefined.setdefault((resolved.end.device, vid), []).append(resolved)
    for (device, vid), ports in undefined.items():
        yield finding(
            {
                "device": device,
                "vid": vid,
                "count": counted(len(ports), "port"),
                "ports": listed([p.end.port for p in ports]),
                "the_ports": agree(len(ports), "the port", "the ports"),
            },
            where=tuple(site.places.of(p, "access_vlan", vid) for p in ports),
            cause=VlanAbsent(vid, device),
            edits=_known(site, device, vid),
        )


def _known(site: Site, device: str, vid: int) -> list[Edit]:
    """What defines a VLAN. One that nobody has by name may be a slip of the hand: that is asked."""
    # A number that is nobody's name is a slip as likely as a missing VLAN.
    if not usual_name(site.fabric.campus, vid):
        return []
    return defined(site.fabric.campus, site.fabric.device(device), vid)


@rule(
    "pvid-undefined",
    family=_FAMILY,
    severity=Severity.RISK,
    what="the PVID of a general port is a VLAN that its switch does not define",
    why="untagged frames are dropped, and land somewhere once the VLAN is created",
    cure="set the PVID to the VLAN that was meant, or let the port take tagged frames only",
    example="port 4 of gate-1 has PVID 24 and is a tagged member of VLAN 10; gate-1 has no VLAN 24",
    says="the PVID of {end} is {vid}, which {device} does not define: untagged frames are dropped",
    fix="which VLAN is meant? make it the PVID of {end}, or let it take tagged frames only",
)
def pvid_undefined(site: Site) -> Iterator[Found]:
    for resolved in site.general_ports:
        vid, table = resolved.completed.pvid, site.defined(resolved.end.device)
        if (
            resolved.stated.pvid is not None
            # A port that takes tagged frames only has a PVID that does nothing.
            and resolved.completed.accept is not Accept.TAGGED
            and table is not None
            and vid
            and vid not in (*table, DEFAULT_VID)
        ):
            yield finding(
                {"end": resolved.end, "vid": vid, "device": resolved.end.device},
                where=(site.places.of(resolved, "pvid", vid),),
                cause=VlanAbsent(vid, resolved.end.device),
            )


@rule(
    "port-in-default-vlan",
    family=_FAMILY,
    severity=Severity.RISK,
    what="a host port that is on is in the default VLAN",
    why=(
        "nobody decided where it belongs: whoever plugs in there meets every other port that nobody"
        " thought of"
    ),
    cure="put the port into the VLAN it serves, or shut it",
    example="pond-1 port 11 is on, and no line says which VLAN it is in",
    says="{device} has {count} in the default VLAN {DEFAULT_VID}: {ports}",
    fix="which VLAN does each serve? put it there, or shut it",
)
def port_in_default_vlan(site: Site) -> Iterator[Found]:
    left = [
        # A default that means something inside an unaware bridge was decided by its number.
        r
        for r in site.access_hosts
        if r.access == DEFAULT_VID and r.end not in site.default_inside
    ]
    for device, ports in by_switch(left).items():
        yield finding(
            {
                "device": device,
                "count": counted(len(ports), "host port"),
                "DEFAULT_VID": DEFAULT_VID,
                "ports": listed([p.end.port for p in ports]),
            },
            where=tuple(site.places.of(p, "access_vlan", DEFAULT_VID) for p in ports),
            assumes=tuple(
                dict.fromkeys(
                    a
                    for p in ports
                    for a in site.places.assumed_for((p, "mode"), (p, "access_vlan"))
                )
            ),
        )


@rule(
    "untagged-in-several",
    family=_FAMILY,
    severity=Severity.RISK,
    what="a host port is an untagged member of several VLANs",
    why=(
        "the host hears all of them and answers into one: nearly always a membership that nobody"
        " took away"
    ),
    cure="leave the port untagged in one VLAN only",
    example="pond-1 port 3 sends VLAN 20 and VLAN 60 untagged",
    says="{end} sends VLAN {vids} untagged; what it hears untagged {becomes}",
    fix="which VLAN is meant? leave {end} untagged in that one only",
)
def untagged_in_several(site: Site) -> Iterator[Found]:
    for resolved in site.host_ports:
        untagged, pvid = resolved.view.untagged, resolved.view.pvid
        # More than one bit: untagged in several.
        if resolved.mode is Mode.GENERAL and untagged & (untagged - 1):
            vids = [vid for vid in range(untagged.bit_length()) if untagged >> vid & 1]
            yield finding(
                {
                    "end": resolved.end,
                    "vids": listed([str(v) for v in vids]),
                    "becomes": f"becomes VLAN {pvid}" if pvid else "is dropped",
                },
                where=(site.places.of(resolved, "untagged", pvid or None),),
            )


# --- voice ----------------------------------------------------------------------------------------


@rule(
    "voice-vlan-missing",
    family=_FAMILY,
    severity=Severity.RISK,
    what="an access port has no voice VLAN, though its neighbours in the same VLAN have",
    why="a phone plugged in there talks in the VLAN of the computers, or not at all",
    cure="state the voice VLAN there as well",
    example="ports 1 to 8 of gate-1 have voice VLAN 15, port 5 between them has none",
    says=(
        "{device} port {names} in VLAN {vid} has no voice VLAN; {with_voice} ports like it have"
        " VLAN {voice}"
    ),
    fix="state voice VLAN {voice} on port {names} of {device}",
)
def voice_vlan_missing(site: Site) -> Iterator[Found]:
    # A switch without phones has no ports that lack a voice VLAN.
    talking = {r.end.device for r in site.stating("voice_vlan") if r.completed.voice_vlan}
    ports = [r for r in site.host_ports if r.end.device in talking and r.mode is Mode.ACCESS]
    for device, own_ports in by_switch(ports).items():
        for vid in sorted({r.access for r in own_ports}):
            peers = [r for r in own_ports if r.access == vid]
            with_voice = [r for r in peers if r.completed.voice_vlan]
            missing = [
                here
                for before, here, after in zip(peers, peers[1:], peers[2:], strict=False)
                # Between two that have one: the one in the middle was forgotten.
                if not here.completed.voice_vlan
                and before.completed.voice_vlan
                and after.completed.voice_vlan
            ]
            # Most ports must have one; else phones are the exception there.
            if missing and len(with_voice) >= 4 * (len(peers) - len(with_voice)):
                voice = max(r.completed.voice_vlan or 0 for r in with_voice)
                names = listed([r.end.port for r in missing])
                yield finding(
                    {
                        "device": device,
                        "names": names,
                        "vid": vid,
                        "with_voice": len(with_voice),
                        "voice": voice,
                    },
                    where=(
                        *(site.places.of(r, "access_vlan", vid) for r in missing),
                        site.places.of(with_voice[0], "voice_vlan", voice),
                    ),
                    key=(device, *(r.end.port for r in missing)),
                    edits=[of_port(device, r.stated, "voice_vlan", voice) for r in missing],
                )


@rule(
    "voice-vlan-undefined",
    family=_FAMILY,
    severity=Severity.FAULT,
    what="the voice VLAN of a port is not defined on its switch",
    why="the phones are told a VLAN that the switch drops: they get no address and no call",
    cure="define the voice VLAN on the switch, or state the one that was meant",
    example="gate-1 ports 1 to 8 have voice VLAN 15, and gate-1 has no VLAN 15",
    says="{device} does not define VLAN {vid}, the voice VLAN of {count}: {ports}",
    fix="define VLAN {vid} on {device}",
)
def voice_vlan_undefined(site: Site) -> Iterator[Found]:
    undefined: dict[tuple[str, int], list[Resolved]] = {}
    for resolved in site.stating("voice_vlan"):
        table, vid = site.defined(resolved.end.device), resolved.completed.voice_vlan
        if (
            # What the mode makes of a port decides whether it has a voice VLAN at all.
            resolved.up
            and resolved.mode is Mode.ACCESS
            and vid
            and table is not None
            and vid not in table
        ):
            undefined.setdefault((resolved.end.device, vid), []).append(resolved)
    for (device, vid), ports in undefined.items():
        if vid != DEFAULT_VID:
            yield finding(
                {
                    "device": device,
                    "vid": vid,
                    "count": counted(len(ports), "port"),
                    "ports": listed([p.end.port for p in ports]),
                },
                where=tuple(site.places.of(p, "voice_vlan", vid) for p in ports),
                cause=VlanAbsent(vid, device),
                edits=_known(site, device, vid),
            )


@rule(
    "voice-vlan-is-data",
    family=_FAMILY,
    severity=Severity.RISK,
    what="the voice VLAN of a port is its data VLAN as well",
    why=(
        "phones and computers are in one network: whoever can plug in can listen, and a busy"
        " computer breaks up calls"
    ),
    cure="give voice a VLAN of its own",
    example="gate-1 port 4 is in VLAN 50 and has voice VLAN 50",
    says="{device} has {count} whose voice VLAN is the data VLAN: {ports}",
    fix="which VLAN is for voice? state that one there",
)
def voice_vlan_is_data(site: Site) -> Iterator[Found]:
    same = [
        r
        for r in site.stating("voice_vlan")
        if r.up and r.mode is Mode.ACCESS and r.completed.voice_vlan == r.access
    ]
    for device, ports in by_switch(same).items():
        yield finding(
            {
                "device": device,
                "count": counted(len(ports), "port"),
                "ports": listed([f"{p.end.port} (VLAN {p.access})" for p in ports]),
            },
            where=tuple(site.places.of(p, "voice_vlan", p.access) for p in ports),
        )


# --- ports out of use -----------------------------------------------------------------------------

_UNUSED = re.compile(
    r"\b(spare|unused|not used|not in use|free|reserved?|vacant|empty)\b", re.IGNORECASE
)


@rule(
    "unused-port-open",
    family=_FAMILY,
    severity=Severity.RISK,
    what="a port that is described as unused is on, or not in the parking VLAN that the plan names",
    why="an outlet that nobody watches is open to whoever finds it",
    cure="shut the port, and put it into the parking VLAN if there is one",
    example="gate-1 port 17 is described as spare, and is on in VLAN 50",
    says={
        "on": "{switch} has {count} described as unused and on: {ports}",
        "parked": "{switch} has {count} in the parking VLAN {vid}, and on: {ports}",
        "parking": "{switch} has {count} out of use and not in the parking VLAN {vid}: {ports}",
    },
    fix={"on": "shut them", "parked": "shut them", "parking": "put them into VLAN {vid}"},
)
def unused_port_open(site: Site) -> Iterator[Found]:
    practice = site.plan.practice.unused
    parking = practice.vlan if practice is not None else None
    for (device, what), ports in _out_of_use(site, practice).items():
        shown_by = "description" if what == "on" else "access_vlan"
        yield finding(
            {
                "switch": device,
                "count": counted(len(ports), "port"),
                "ports": listed([p.end.port for p in ports]),
                "vid": parking,
            },
            case=what,
            where=tuple(site.places.of(p, shown_by, p.access or None) for p in ports),
            severity=Severity.NOTE if what == "parking" else Severity.RISK,
            key=(device, what, *(p.end.port for p in ports)),
            edits=[
                of_port(device, p.stated, "access_vlan", parking)
                if what == "parking"
                else of_port(device, p.stated, "enabled", False)
                for p in ports
                # A port where the plan has a host is not shut by anybody's description.
                if p.end not in site.hosts_at
            ],
        )


def _out_of_use(
    site: Site, practice: UnusedPractice | None
) -> dict[tuple[str, str], list[Resolved]]:
    """The ports that are out of use and open in some way, by switch and what is open."""
    parking = practice.vlan if practice is not None else None
    of = site.fabric.wiring.of
    unused: dict[tuple[str, str], list[Resolved]] = {}
    for resolved, about in site.described:
        # A cable to a switch is in use, whatever the description says.
        if not _UNUSED.search(about.value) or resolved.end in of or resolved.bundle:
            continue
        parked = (
            parking is not None
            and resolved.completed.mode is Mode.ACCESS
            and resolved.completed.access_vlan == parking
        )
        # On, unless the plan lets it be on in the parking VLAN.
        if resolved.up and not (parked and practice is not None and not practice.shut):
            unused.setdefault((resolved.end.device, "on"), []).append(resolved)
        elif not resolved.up and parking is not None and not parked:
            # Shut, and still in a VLAN where somebody could turn it on again.
            unused.setdefault((resolved.end.device, "parking"), []).append(resolved)
    if practice is not None and practice.shut:
        # The parking VLAN says that it is out of use, even without a description.
        described = {resolved.end for resolved, about in site.described}
        for resolved in site.access_hosts:
            if resolved.access == parking and resolved.end not in described:
                unused.setdefault((resolved.end.device, "parked"), []).append(resolved)
    return unused


# --- against the statements before ----------------------------------------------------------------


@rule(
    "ranges-overlap",
    family=_FAMILY,
    severity=Severity.RISK,
    what="two statements for several ports overlap, and the later one silently won",
    why=(
        "somebody counted wrong by a port: the ports in both are not where the first statement says"
    ),
    cure="make the two ranges meet without overlapping",
    example=(
        "line 4 puts ports 1 to 8 into VLAN 10, line 7 ports 8 to 12 into VLAN 20: port 8 is in"
        " VLAN 20"
    ),
    says=(
        "{device} port {ports}: {word} {before} is stated first, and {after} by a later statement"
        " for {count}, which wins"
    ),
    fix="where does the first range end? make the two meet without overlapping",
)
def ranges_overlap(site: Site) -> Iterator[Found]:
    for device in site.devices:
        changed: dict[tuple[Origin, Origin, str], list[str]] = {}
        values: dict[tuple[Origin, Origin, str], tuple[str, str]] = {}
        for change in device.overridden:
            if (
                # The same value twice changes nothing.
                change.attribute in ("access_vlan", "voice_vlan", "mode")
                and change.before != change.after
            ):
                key = change.old, change.new, change.attribute
                changed.setdefault(key, []).append(change.port)
                values[key] = change.before, change.after
        for (old, new, attribute), ports in changed.items():
            covered = [
                p.name
                for p in device.ports.values()
                if (fact := getattr(p, attribute)) is not None and fact.origin == new
            ]
            # The later one covers no more: an exception that was meant, or a replacement of all.
            if len(covered) <= len(ports) or not (old.file and new.file):
                # the later statement is an exception to the earlier one, or replaces it altogether
                continue
            word = attribute.replace("_vlan", " VLAN").replace("access VLAN", "VLAN")
            before, after = values[old, new, attribute]
            yield finding(
                {
                    "device": device.name,
                    "ports": listed(ports),
                    "word": word,
                    "before": before,
                    "after": after,
                    "count": counted(len(covered), "port"),
                },
                where=tuple(Where(device.name, ports[0], None, origin) for origin in (old, new)),
                cause=RangeOverridden(device.name, tuple(ports)),
                key=(device.name, attribute, *ports),
            )
