"""Input: what makes the reading itself doubtful: two sources of one switch that do not agree, ports
that a text seems not to describe, names that look like lists of ports.
"""

from __future__ import annotations

from collections.abc import Iterator

from inkov.campus import Device
from inkov.campus.doubts import gaps, odd_names
from inkov.checks.catalogue import Found, Severity, Where, finding, rule
from inkov.checks.site import Site
from inkov.forwarding.sources import Agreement, Compared, compared
from inkov.words import counted, listed

_FAMILY = "Input"


@rule(
    "sources-disagree",
    family=_FAMILY,
    severity=Severity.RISK,
    what="two files describe one switch, and it would not forward the same by both",
    why="one of them is not what the switch does: out of date, or a change that was never stored",
    cure="find out which is true, and collect the other again or correct the switch",
    example="the export of core-1 has port 7 in VLAN 10, the walk of core-1 has it in VLAN 20",
    says="two sources of {first} disagree: {shown}{more}",
    fix="which is true? collect the other again, or correct the switch",
)
def sources_disagree(site: Site) -> Iterator[Found]:
    for second in site.fabric.campus.others:
        first = site.fabric.campus.devices[second.name]
        differences = [c for c in compared(first, second) if c.agreement is not Agreement.AGREES]
        if differences:
            shown = listed(
                [
                    f"{one.name}: {one.first} by {first.origin.file}, {one.other} by"
                    f" {second.origin.file}"
                    for one in differences[:3]
                ]
            )
            more = f", and {len(differences) - 3} more" if len(differences) > 3 else ""
            yield finding(
                {"first": first.name, "shown": shown, "more": more},
                where=tuple(place for one in differences for place in _places(first.name, one)),
            )


def _places(switch: str, one: Compared) -> tuple[Where, ...]:
    """Where the two sources say it; one of them only, where the other does not have it."""
    port, vid = one.port or None, one.vlan or None
    first, other = (Where(switch, port, vid, at) for at in (one.first_at, one.other_at))
    # What only one of them has is told where it is.
    if one.agreement is Agreement.DIFFERS:
        return first, other
    return (first,) if one.agreement is Agreement.ONLY_FIRST else (other,)


@rule(
    "ports-not-described",
    family=_FAMILY,
    severity=Severity.NOTE,
    what="a text that is read by a dialect describes ports, and not those between them",
    why=(
        "the dialect may lose ports, or the text leaves out what nobody has touched: then nothing"
        " is known of what these ports do"
    ),
    cure=(
        "look how the text names them, and describe that; or state in the dialect that they are"
        " there"
    ),
    example="the text of fern-2 has ports 1, 4 and 5, and nothing about 2 and 3",
    says={
        "one": "{switch} has {near}, and no port {missing} between them",
        "several": "{switch} has {near}, and no ports {missing} between them",
    },
    fix="does {switch} have them? then look where its text says so, and describe that",
)
def ports_not_described(site: Site) -> Iterator[Found]:
    for device in _by_dialects(site):
        for missing in gaps(device):
            near = [port for port in device.ports.values() if _kind(port.name) == _kind(missing[0])]
            yield finding(
                {
                    "switch": device.name,
                    "near": f"{counted(len(near), 'port')} from {near[0].name} on",
                    "missing": listed(missing, 4),
                },
                case="one" if len(missing) == 1 else "several",
                where=[Where(device.name, near[0].name, None, near[0].origin)],
                key=(device.name, _kind(missing[0])),
            )


@rule(
    "port-name-odd",
    family=_FAMILY,
    severity=Severity.RISK,
    what="a port of a text that is read by a dialect is named like a range or a list of others",
    why="the dialect takes several ports for one: what is said of them is said of none",
    cure="name the mark or word of ranges in the dialect, under [lists]",
    example="fern-2 has ports 1, 2, 3 and one that is called 4-9",
    says="{switch} has a port that is called {name}: is it one port, or several?",
    fix="is it several? then name the mark of ranges in the dialect of {switch}, under [lists]",
)
def port_name_odd(site: Site) -> Iterator[Found]:
    for device in _by_dialects(site):
        for port in odd_names(device):
            yield finding(
                {"switch": device.name, "name": port.name},
                where=[Where(device.name, port.name, None, port.origin)],
            )


def _by_dialects(site: Site) -> Iterator[Device]:
    return (d for d in site.fabric.campus.devices.values() if d.platform.described)


def _kind(name: str) -> str:
    return name.rstrip("0123456789")
