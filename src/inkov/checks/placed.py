"""Where the plan wants a VLAN (`on`, `gateways`), against where it is."""

from __future__ import annotations

from collections.abc import Iterator

from inkov.campus import Mode
from inkov.checks.catalogue import Found, Severity, Where, finding, rule
from inkov.checks.site import DEFAULT_VID, EVERYTHING, Site
from inkov.forwarding import Resolved
from inkov.plan import PlannedVlan, placed
from inkov.vlanset import bit
from inkov.wiring import End
from inkov.words import listed

_Misplaced = tuple[str, list[Where]]
"""What is not as planned, as a part of a sentence, and where that is said."""


@rule(
    "vlan-placed-otherwise",
    family="VLAN definitions",
    severity=Severity.FAULT,
    what="a VLAN is not on the switches and ports that the plan names, or not routed there",
    why="whoever is plugged in where the plan has the VLAN is somewhere else, or nowhere",
    cure="put the VLAN where the plan has it (`inkov mend --as-planned`), or correct the plan",
    example="the plan has VLAN 61 at gate-1:3, and the port is in VLAN 10",
    says="the plan has VLAN {vid} elsewhere: {differences}",
    fix="which is right? make it so with `inkov mend --as-planned`, or correct the plan",
)
def vlan_placed_otherwise(site: Site) -> Iterator[Found]:
    for vid, planned in sorted(site.plan.vlans.items()):
        wrong = [
            *_places(site, vid, planned),
            *_gateways(site, vid, planned),
            # An empty list says that the VLAN is to be nowhere.
            *(_left(site, vid) if planned.on == [] else ()),
        ]
        if wrong:
            yield finding(
                {"vid": vid, "differences": listed([says for says, _ in wrong])},
                where=(
                    *(where for _, places in wrong for where in places),
                    Where("", None, vid, planned.origin),
                ),
                vlans=1 << vid,
                key=(vid, *(says for says, _ in wrong)),
            )


def _places(site: Site, vid: int, planned: PlannedVlan) -> Iterator[_Misplaced]:
    meant = placed(planned.on or (), site.fabric.campus.devices)
    for says in meant.unknown:
        yield says, []
    for name in meant.everywhere:
        table = site.defined(name)
        # Without a table nobody can say whether it is defined.
        if table is not None and vid not in table and vid != DEFAULT_VID:
            yield f"{name} does not define it", [site.places.switch(name)]
    for (switch, port), by_name in meant.ports.items():
        end = site.fabric.end_of(switch, port)
        resolved = site.fabric.ports[end]
        # A link carries what both switches need; named in the plan, it was taken for a host port.
        if end in site.fabric.wiring.of:
            if by_name:
                yield f"{end} leads to another switch", [site.places.of(resolved, "mode")]
        elif vid not in (home := vlan_of(resolved), resolved.completed.voice_vlan):
            now = f"is in VLAN {home}" if home else "is in none"
            yield f"{End(switch, port)} {now}", [site.places.of(resolved, "access_vlan", vid)]


def vlan_of(resolved: Resolved) -> int:
    """The VLAN of untagged frames at a port, or that it would be once the port is on; 0: none."""
    # A port that is off is asked what it would be.
    if resolved.up:
        return resolved.free.pvid
    now = resolved.completed
    homes = {Mode.ACCESS: now.access_vlan, Mode.TRUNK: now.native_vlan, Mode.GENERAL: now.pvid}
    return homes.get(resolved.mode) or 0


def _gateways(site: Site, vid: int, planned: PlannedVlan) -> Iterator[_Misplaced]:
    if planned.gateways is None:
        return
    there = [
        interface
        for interface in site.interfaces
        if interface.addresses and vid in site.vlans_of(interface)
    ]
    for name, address in planned.gateways.items():
        if name not in site.fabric.campus.devices:
            yield f"no switch is called {name}", []
            continue
        own = [interface for interface in there if interface.device == name]
        values = [fact.value for interface in own for fact in interface.addresses]
        if not own:
            yield f"{name} has no gateway {address} in it", [site.places.switch(name)]
        elif address not in values:
            wrong = Where(name, None, vid, own[0].origin)
            yield (
                f"the gateway of {name} is {listed(list(map(str, values)))}, not {address}",
                [wrong],
            )
    for interface in there:
        if interface.device not in planned.gateways:
            yield (
                f"{interface.device} routes it",
                [Where(interface.device, None, vid, interface.origin)],
            )


def _left(site: Site, vid: int) -> Iterator[_Misplaced]:
    """What is left of a VLAN that is to be nowhere."""
    for device in site.devices:
        row = device.row(vid)
        # VLAN 1 is on every switch.
        if row is not None and vid != DEFAULT_VID:
            yield f"{device.name} defines it", [Where(device.name, None, vid, row.origin)]
    for resolved in site.fabric.ports.values():
        allowed = resolved.stated.allowed
        # By itself or by its list; a list left at everything names nothing.
        if bit(vid) & (resolved.free.untagged | bit(resolved.free.pvid)) or (
            allowed is not None and vid in allowed.value and allowed.value != EVERYTHING
        ):
            yield f"{resolved.end} has it", [site.places.of(resolved, "allowed", vid)]
