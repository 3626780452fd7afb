"""Names of VLANs: one number, one name, everywhere and as planned."""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator
from difflib import SequenceMatcher
from fnmatch import fnmatchcase

from inkov.campus import Vlan, natural
from inkov.checks.catalogue import Found, Severity, Where, finding, rule
from inkov.checks.site import DEFAULT_VID, Site
from inkov.edits import Edit
from inkov.edits.make import named
from inkov.words import counted, listed

_FAMILY = "VLAN definitions"


def _named(site: Site) -> Iterator[tuple[str, Vlan, str]]:
    """(switch, row of its table, name) of all VLANs with a name."""
    for device in site.devices:
        for vlan in (device.vlans or {}).values():
            if vlan.name is not None and vlan.name.value:
                yield device.name, vlan, vlan.name.value


def _where(switch: str, vlan: Vlan) -> Where:
    return Where(switch, None, vlan.vid, vlan.name.origin if vlan.name is not None else vlan.origin)


def _plainly(name: str) -> str:
    """The name without case and punctuation."""
    return re.sub(r"[\W_]+", "-", name.casefold()).strip("-")


def _near(name: str, usual: str) -> str:
    """A remark if two names differ as slips of the finger do."""
    # Only case and marks differ: the same name, written by another hand.
    if _plainly(name) == _plainly(usual):
        return " (only spelled otherwise)"
    return " (a slip of the finger?)" if SequenceMatcher(None, name, usual).ratio() > 0.8 else ""


@rule(
    "vlan-name-differs",
    family=_FAMILY,
    severity=Severity.RISK,
    what="one VLAN number has different names on different switches",
    why=(
        "people work by the name: sooner or later somebody puts a port into what the name promises,"
        " not the number"
    ),
    cure="give the VLAN one name everywhere",
    example="VLAN 20 is 'irrigation' on gate-1 and 'irigation' on palm-2",
    says="VLAN {vid} is {usual!r} on {on}, but {elsewhere}",
    fix="name VLAN {vid} {usual!r} there as well, or rename it everywhere",
)
def vlan_name_differs(site: Site) -> Iterator[Found]:
    by_vid: dict[tuple[int, str], dict[str, list[Where]]] = {}
    for switch, vlan, name in _named(site):
        # One number in two areas is two VLANs, which may have two names.
        one_vlan = vlan.vid, site.area[switch]
        by_vid.setdefault(one_vlan, {}).setdefault(name, []).append(_where(switch, vlan))
    for (vid, _), called in sorted(by_vid.items()):
        planned = site.plan.vlans[vid].name if vid in site.plan.vlans else ""
        if planned or len(called) < 2:
            continue  # vlan-name-against-plan tells
        names = sorted(called.items(), key=lambda item: (-len(item[1]), natural(item[0])))
        usual, places = names[0]
        others = [(name, where) for name, wheres in names[1:] for where in wheres]
        elsewhere = listed(
            [f"{name!r} on {where.switch}{_near(name, usual)}" for name, where in others]
        )
        on = places[0].switch if len(places) == 1 else counted(len(places), "switch")
        yield finding(
            {"vid": vid, "usual": usual, "on": on, "elsewhere": elsewhere},
            where=(*(where for _, where in others), places[0]),
            key=(vid, *(f"{name} {where.switch}" for name, where in others)),
            edits=_renamed(site, vid, (where.switch for _, where in others), usual),
        )


def _renamed(site: Site, vid: int, switches: Iterable[str], name: str) -> Iterator[Edit]:
    """One name for a VLAN on some switches."""
    for switch in switches:
        row = (site.fabric.device(switch).vlans or {}).get(vid)
        if row is not None:
            yield named(switch, row, name)


@rule(
    "name-vlan-differs",
    family=_FAMILY,
    severity=Severity.RISK,
    what="one VLAN name stands for different numbers on different switches",
    why=(
        "ports that belong together by name are in two VLANs that do not talk, or a later change"
        " joins the wrong ones"
    ),
    cure="use one number for the name, or two names",
    example="'cameras' is VLAN 60 on gate-1 and VLAN 66 on pond-1",
    says="{place!r} is VLAN {usual} on {on}, but {elsewhere}",
    fix="is {place!r} one VLAN? use VLAN {usual} there as well, or give one of them another name",
)
def name_vlan_differs(site: Site) -> Iterator[Found]:
    by_name: dict[tuple[str, str], dict[int, list[tuple[str, Where]]]] = {}
    for switch, vlan, name in _named(site):
        by_name.setdefault((_plainly(name) or name, site.area[switch]), {}).setdefault(
            vlan.vid, []
        ).append((name, _where(switch, vlan)))
    for (key, _), numbers in sorted(by_name.items(), key=lambda item: natural(item[0][0])):
        vids = sorted(numbers.items(), key=lambda item: (-len(item[1]), item[0]))
        if len(vids) < 2:
            continue
        usual, places = vids[0]
        others = [(vid, where) for vid, named in vids[1:] for _, where in named]
        elsewhere = listed([f"VLAN {vid} on {where.switch}" for vid, where in others])
        on = places[0][1].switch if len(places) == 1 else counted(len(places), "switch")
        yield finding(
            {"place": places[0][0], "usual": usual, "on": on, "elsewhere": elsewhere},
            where=(*(where for _, where in others), places[0][1]),
            key=(key, *(f"{vid} {where.switch}" for vid, where in others)),
        )


def _unnamed(site: Site) -> Iterator[tuple[str, Vlan]]:
    """(switch, row) of VLANs without a name, on switches that name others."""
    for device in site.devices:
        table = device.vlans or {}
        # A switch that names nothing lacks no name.
        named = any(vlan.name is not None and vlan.name.value for vlan in table.values())
        for vlan in table.values() if named and not device.table_is_membership else ():
            if (vlan.name is None or not vlan.name.value) and vlan.vid != DEFAULT_VID:
                yield device.name, vlan


def _created_by_port(site: Site) -> dict[tuple[str, int], Where]:
    """The VLANs without a name that are in a table only since a port was put into them: (switch,
    VID) -> that port.
    """
    named = {vlan.vid for _, vlan, _ in _named(site)}
    rows = {(switch, vlan.vid): vlan for switch, vlan in _unnamed(site)}
    if not rows:
        return {}
    created: dict[tuple[str, int], Where] = {}
    for resolved in site.access_ports:
        key = resolved.end.device, resolved.access
        fact = resolved.stated.access_vlan or resolved.stated.pvid
        if key in rows and key not in created and fact is not None:
            # No other switch names it, and no link of this one passes it.
            alone = key[1] not in named and not any(
                mask >> key[1] & 1
                for sender in site.fabric.bridge_ports
                if sender.end.device == key[0]
                for crossing in site.fabric.crossings.get(sender.number, ())
                for _, mask in crossing.same
            )
            # The row has the very line of the port, or nothing else has to do with it.
            if rows[key].origin == fact.origin or alone:
                created[key] = site.places.of(resolved, "access_vlan", key[1])
    return created


@rule(
    "vlan-by-side-effect",
    family=_FAMILY,
    severity=Severity.RISK,
    what="a VLAN exists only because a port was put into it: nobody named it, and it leads nowhere",
    why=(
        "it is a slip of the finger more often than a plan: whoever is plugged in there is alone,"
        " and nothing complains"
    ),
    cure=(
        "put the port into the VLAN that was meant, or define and name the VLAN where it is needed"
    ),
    example="palm-2 port 7 is in VLAN 240, which has no name and is on no other switch",
    says="VLAN {vid} of {switch} has no name: it is there only because port {port} was put into it",
    fix=("is VLAN {vid} meant on {switch}? name it there, or move port {port} to the VLAN that is"),
)
def vlan_by_side_effect(site: Site) -> Iterator[Found]:
    for (switch, vid), where in _created_by_port(site).items():
        yield finding(
            {"vid": vid, "switch": switch, "port": where.port},
            where=(where, site.places.row(switch, vid)),
            key=(switch, vid),
        )


@rule(
    "vlan-unnamed",
    family=_FAMILY,
    severity=Severity.NOTE,
    what="a VLAN has no name on a switch that names its others",
    why="nobody who reads the table knows what it is for, so nobody dares to take it away",
    cure="name it as it is named elsewhere, or remove it",
    example="gate-1 names all its VLANs but 66",
    says={
        "nowhere": "VLAN {vid} has no name on {switches}",
        "elsewhere": "VLAN {vid} has no name on {switches}; elsewhere it is {name!r}",
    },
    fix={
        "nowhere": "what is it for? name it, or remove it",
        "elsewhere": "name it {name!r} there as well",
    },
)
def vlan_unnamed(site: Site) -> Iterator[Found]:
    by_port = _created_by_port(site)
    names = {vlan.vid: name for _, vlan, name in _named(site)}
    rows: dict[int, list[Where]] = {}
    for switch, vlan in _unnamed(site):
        # Others are told by vlan-by-side-effect.
        if (switch, vlan.vid) not in by_port:
            rows.setdefault(vlan.vid, []).append(_where(switch, vlan))
    for vid, places in sorted(rows.items()):
        yield finding(
            {
                "vid": vid,
                "switches": listed([w.switch for w in places]),
                "name": names.get(vid),
            },
            case="elsewhere" if vid in names else "nowhere",
            where=tuple(places),
            edits=_renamed(site, vid, (w.switch for w in places), names[vid])
            if vid in names
            else (),
        )


@rule(
    "vlan-name-against-plan",
    family=_FAMILY,
    severity=Severity.NOTE,
    what=(
        "a VLAN has another name than the plan, or one that the house rule for names does not allow"
    ),
    why="who works by the plan looks for the other name, and puts ports into the wrong VLAN",
    cure="rename the VLAN, or correct the plan",
    example="the plan calls VLAN 20 'irrigation', and gate-1 calls it 'water'",
    says={
        "plan": "VLAN {vid} is {name!r} on {switches}, and the plan calls it {wanted!r}{near}",
        "house": "VLAN {vid} is {name!r} on {switches}, and names are to be like {pattern!r}",
    },
    fix="which name is right? rename the VLAN, or correct the plan",
)
def vlan_name_against_plan(site: Site) -> Iterator[Found]:
    wrong: dict[tuple[int, str], list[Where]] = {}
    for switch, vlan, name in _named(site):
        planned = site.plan.vlans.get(vlan.vid)
        # The plan's name for this VLAN, or else the house rule for all names.
        if (planned is not None and planned.name and planned.name != name) or (
            site.plan.practice.names and not fnmatchcase(name, site.plan.practice.names)
        ):
            wrong.setdefault((vlan.vid, name), []).append(_where(switch, vlan))
    for (vid, name), places in sorted(wrong.items()):
        planned = site.plan.vlans.get(vid)
        by_name = planned is not None and planned.name and planned.name != name
        wanted = planned.name if planned and by_name else ""
        origin = planned.origin if planned and by_name else site.plan.practice.origin
        yield finding(
            {
                "vid": vid,
                "name": name,
                "switches": listed([w.switch for w in places]),
                "wanted": wanted,
                "near": _near(name, wanted) if wanted else "",
                "pattern": site.plan.practice.names,
            },
            case="plan" if wanted else "house",
            where=(*places, Where("", None, vid, origin)),
            key=(vid, name, *(w.switch for w in places)),
            edits=_renamed(site, vid, (w.switch for w in places), wanted) if wanted else (),
        )
