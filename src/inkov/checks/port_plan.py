"""The port plan: what each port should be, against what it is."""

from __future__ import annotations

from collections.abc import Iterator

from inkov.campus import Fact, Mode
from inkov.campus.secrets import without_secrets
from inkov.checks.catalogue import Found, Severity, Where, finding, rule
from inkov.checks.site import Site
from inkov.edits import Edit
from inkov.edits.edit import in_words
from inkov.edits.make import defined, of_port, usual_name
from inkov.forwarding import Resolved
from inkov.vlanset import VlanSet, union
from inkov.wiring import End
from inkov.wiring.names import NameFinder
from inkov.words import both


@rule(
    "port-against-plan",
    family="Access ports",
    severity=Severity.FAULT,
    what="a port is not what the port plan says",
    why="whoever is plugged in there is in another VLAN than everybody believes",
    cure="configure the port as planned, or correct the plan",
    example="the plan has gate-1 port 3 in VLAN 60, and gate-1 has it in VLAN 50",
    says={
        "differs": "{switch} port {port} has {differences}",
        "no port": "the plan has a port {port} on {switch}, which has none",
        "no switch": "the port plan has a switch {switch!r} that is not among the files",
    },
    fix={
        "differs": "set {planned} on port {port} of {switch}",
        "lacking": " and define VLAN {lacking} there",
        "either": ", or correct the plan",
        "no port": "correct the plan, or complete the configuration of the switch",
        "no switch": "add its configuration, or correct the plan",
    },
)
def port_against_plan(site: Site) -> Iterator[Found]:
    names: dict[str, NameFinder] = {}
    devices = NameFinder(site.fabric.campus.devices, domains=True)
    unknown: dict[str, Where] = {}
    for planned in site.fabric.campus.planned:
        # A table may spell a switch as people do.
        device = devices.find(planned.device)
        if device is None:
            unknown.setdefault(planned.device, Where(planned.device, None, None, planned.origin))
            continue
        if device not in names:
            names[device] = NameFinder(site.fabric.device(device).ports)
        port = names[device].find(planned.port)
        here = Where(
            device, port or planned.port, planned.values.get("access_vlan"), planned.origin
        )
        # The plan has a port that the switch does not have.
        if port is None:
            yield finding(
                {"port": planned.port, "switch": device},
                case="no port",
                where=(here,),
            )
            continue
        resolved = site.resolved(End(device, port))
        wrong = {
            a: actual
            for a, wanted in planned.values.items()
            if (actual := _of_port(resolved, a)) != wanted
        }
        if wrong:
            texts = [
                f"{_named(a)} {_word(actual)}, and the plan says {_word(planned.values[a])}"
                for a, actual in wrong.items()
            ]
            wanted = [f"{_named(a)} {_word(planned.values[a])}" for a in wrong]
            table, vid = site.defined(device), planned.values.get("access_vlan")
            # A VLAN that the switch lacks has to be defined first.
            lacking = vid if table is not None and vid and vid not in table else None
            live = union(site.fabric.live.values())
            unheard = vid and not usual_name(site.fabric.campus, vid) and not live >> vid & 1
            yield finding(
                {
                    "switch": device,
                    "port": port,
                    "differences": "; ".join(texts),
                    "planned": both(wanted),
                    "lacking": lacking,
                },
                case=("differs", *(["lacking"] if lacking else []), "either"),
                where=(*(site.places.of(resolved, a) for a in wrong), here),
                assumes=site.places.assumed_for(*((resolved, a) for a in wrong)),
                key=(device, port),
                # A VLAN that nobody has is a slip in the plan, or comes later: that is asked.
                edits=()
                if unheard
                else [
                    *(
                        defined(site.fabric.campus, site.fabric.device(device), lacking)
                        if lacking
                        else ()
                    ),
                    *(edit for a in wrong for edit in _as_planned(resolved, a, planned.values[a])),
                ],
            )

    for name, where in unknown.items():
        yield finding(
            {"switch": name},
            case="no switch",
            where=(where,),
            severity=Severity.NOTE,
        )


def _as_planned(resolved: Resolved, attribute: str, wanted: object) -> Iterator[Edit]:
    """A port as it is planned. A general port is in one VLAN by its PVID, untagged."""
    port, switch = resolved.stated, resolved.end.device
    if attribute == "access_vlan" and resolved.mode is Mode.GENERAL and isinstance(wanted, int):
        yield of_port(switch, port, "pvid", wanted)
        yield of_port(switch, port, "untagged", VlanSet.of(wanted))
    elif attribute == "access_vlan" and resolved.mode is not Mode.ACCESS:
        return  # what becomes of the rest of it?
    else:
        yield of_port(switch, port, attribute, wanted)


def _named(attribute: str) -> str:
    return in_words(attribute).replace("access VLAN", "VLAN")


def _of_port(resolved: Resolved, attribute: str) -> object:
    """What a port is, once all stages are through; attributes that forward nothing as stated.

    A general port that is a member of one VLAN, untagged, is an access port by another name.
    """
    view = resolved.free
    if attribute == "mode":
        return resolved.effective_mode
    # A native VLAN that is not let through is there, and found by a rule of its own.
    if attribute == "native_vlan" and resolved.effective_mode is Mode.TRUNK:
        return resolved.native
    # Of a port that is up, what frames do counts; else what is stated.
    if resolved.up and attribute in ("access_vlan", "native_vlan"):
        return view.pvid or None
    if resolved.up and attribute == "allowed":
        return VlanSet(view.emit)
    if attribute == "enabled":
        return resolved.stated.on
    if attribute in ("description", "edge"):
        fact: Fact[object] | None = getattr(resolved.stated, attribute)
        return (False if attribute == "edge" else "") if fact is None else fact.value
    return getattr(resolved.completed, attribute)


def _word(value: object) -> str:
    return (
        {True: "on", False: "off"}[value]
        if isinstance(value, bool)
        else "none"
        if value is None
        else without_secrets(str(value))
    )
