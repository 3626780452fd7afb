"""Campuses written as files, in every format, as a person or a device would write them.

Nothing here is shared with `convert` or with any reader: what a file means is written out again.
`fit` takes from a device what a format cannot say; the writers say all the rest, with the defaults
of IEEE 802.1Q spelled out where a format has others.
"""

from __future__ import annotations

import json
import random
import shutil
from collections.abc import Callable, Sequence
from pathlib import Path
from typing import Any

from inkov.campus import Accept, Campus, Device, FilterEntry, Gateway, Mode, Port, PortKind, Vlan
from inkov.vlanset import VlanSet
from tests.campuses import NOWHERE, fact

__all__ = ["FORMATS", "in_files"]

Files = dict[str, str]
ALL = VlanSet.all()


def of(port: Port, attribute: str, otherwise: Any) -> Any:
    stated = getattr(port, attribute)
    return otherwise if stated is None else stated.value


def ranges(vids: VlanSet, mark: str = "-") -> list[str]:
    return [str(low) if low == high else f"{low}{mark}{high}" for low, high in vids.ranges()]


def cabling(campus: Campus) -> str:
    rows = [(c.device, c.port, c.far_device, c.far_port) for c in campus.cables]
    return "\n".join(",".join(row) for row in [("switch", "port", "far switch", "far port"), *rows])


def members_of(device: Device) -> dict[str, str]:
    """Member -> its bundle, where that is one."""
    return {
        port.name: port.bundle.value
        for port in device.ports.values()
        if port.bundle is not None and port.bundle.value in device.ports
    }


# --- what a format cannot say ---------------------------------------------------------------------


def fit(rng: random.Random, device: Device, form: str) -> None:
    """Change a device into one that a format can describe."""
    if form == "sheet":
        return
    _fit_gateways(device, form)
    for row in (device.vlans or {}).values():
        row.secondaries = None
    if form == "linux":
        _fit_linux(rng, device)
        return
    device.bridges.clear()
    for name, port in list(device.ports.items()):
        if port.kind is PortKind.SUB:
            del device.ports[name]
    unaware = any(of(port, "mode", None) is Mode.UNAWARE for port in device.ports.values())
    if form == "elm":
        for port in device.ports.values():
            if of(port, "mode", None) is Mode.ROUTED:
                port.mode = None
            if unaware:
                port.mode, port.registration, port.negotiation = fact(Mode.UNAWARE), None, None
        return
    for row in (device.vlans or {}).values():
        row.private = None
    for port in device.ports.values():
        port.negotiation = port.registration = port.forbidden = None
    if form in ("openconfig", "xml"):
        for port in device.ports.values():
            _fit_openconfig(rng, port)
    else:
        for port in device.ports.values():
            _fit_general(rng, port, linux=form == "networkd")
    if unaware and form == "networkd":  # the one bridge there
        for port in device.ports.values():
            port.mode = fact(Mode.UNAWARE)
    if form in ("walk", "oak"):
        _fit_table(device)
    elif form == "networkd":
        device.vlans = None  # a system has the VLANs of its ports


def _fit_linux(rng: random.Random, device: Device) -> None:
    """Two bridges, each with or without VLANs; ports, VLAN devices and what is in no bridge."""
    for bridge in ("", "b2"):
        own = [port for port in device.ports.values() if bridge_of(device, port.name) == bridge]
        unaware = any(of(port, "mode", None) is Mode.UNAWARE for port in own)
        for port in own:
            port.negotiation = port.registration = port.forbidden = None
            if of(port, "mode", None) is Mode.ROUTED:
                continue
            _fit_general(rng, port, linux=True)
            if unaware:
                port.mode = fact(Mode.UNAWARE)
    device.vlans = None


def bridge_of(device: Device, port: str) -> str:
    return next((b.name for b in device.bridges.values() if port in b.ports), "")


def _fit_gateways(device: Device, form: str) -> None:
    """Gateways on the main bridge, in the formats that are written with any; filters in two."""
    told = [g for g in device.gateways if not g.bridge] if form in GATEWAYS else []
    if form == "linux":
        untagged = [g for g in told if not g.tagged][:1]  # the bridge itself
        told = [g for g in told if g.tagged] + untagged
        for gateway in told:
            gateway.vrf, gateway.filters_in, gateway.filters_out = None, (), ()
            gateway.tagged = gateway.tagged and takes_no_notice(device, "")
    elif form != "sheet":
        for gateway in told:
            gateway.tagged = False
    device.gateways[:] = told
    device.filters = device.filters if told else {}


def _fit_openconfig(rng: random.Random, port: Port) -> None:
    port.voice_vlan = port.native_tagged = port.withheld = port.protected = None
    if of(port, "mode", Mode.ACCESS) not in (Mode.ACCESS, Mode.TRUNK):
        port.mode = fact(rng.choice([Mode.ACCESS, Mode.TRUNK]))
    if port.allowed is not None and not port.allowed.value:
        port.allowed = None


def _fit_general(rng: random.Random, port: Port, *, linux: bool) -> None:
    port.mode = fact(Mode.GENERAL)
    port.voice_vlan = port.native_tagged = port.withheld = None
    if not linux:
        port.protected = None
    if port.tagged is None:
        port.tagged = fact(VlanSet.from_vids(v for v in (10, 20, 30) if rng.random() < 0.5))
    pvid = of(port, "pvid", rng.choice([1, 10, 20]))
    port.pvid = fact(pvid if linux else pvid or 1)
    untagged = of(port, "untagged", VlanSet.of(pvid) if pvid else VlanSet())
    if linux and pvid and pvid not in untagged | port.tagged.value:
        untagged |= VlanSet.of(pvid)  # there, a PVID is a membership
    port.untagged = fact(untagged)
    port.tagged = fact(port.tagged.value - untagged)
    if linux:
        port.ingress_filtering = fact(True)
        port.accept = fact(Accept.ALL if pvid else Accept.TAGGED)
    else:
        port.ingress_filtering = fact(of(port, "ingress_filtering", False))
        port.accept = fact(of(port, "accept", Accept.ALL))


def _fit_table(device: Device) -> None:
    """A table with every VLAN that a port is a member of, and what it had."""
    table = device.vlans or {}
    for port in device.ports.values():
        assert port.pvid is not None
        for vid in (*of(port, "tagged", ()), *of(port, "untagged", ()), port.pvid.value):
            table.setdefault(vid, Vlan(vid, NOWHERE))
    device.vlans = table


# --- sheets ---------------------------------------------------------------------------------------

_KEYS = {
    "voice_vlan": "voice",
    "native_vlan": "native",
    "native_tagged": "native tagged",
    "access_vlan": "vlan",
    "ingress_filtering": "ingress filtering",
    "enabled": "state",
}
_SAID = [
    "mode",
    "negotiation",
    "access_vlan",
    "voice_vlan",
    "native_vlan",
    "native_tagged",
    "allowed",
    "withheld",
    "pvid",
    "accept",
    "ingress_filtering",
    "tagged",
    "untagged",
    "primary",
    "secondary",
    "secondaries",
    "protected",
    "registration",
    "forbidden",
    "enabled",
]


def _word(attribute: str, value: Any) -> str:
    if isinstance(value, bool):
        plain = attribute in ("native_tagged", "protected")
        return ("yes" if value else "no") if plain else ("on" if value else "off")
    if isinstance(value, VlanSet):
        return "all" if value == ALL else ",".join(ranges(value)) or "none"
    return "none" if value is None else str(value)


def sheet(rng: random.Random, device: Device) -> Files:
    lines = ["# kept by hand", "inkov sheet 1", f"switch: {device.name}"]
    if device.vlans is not None:
        lines.append("[vlans]")
        for row in device.vlans.values():
            flags = [] if row.active is None else ["suspended"]
            flags += [row.private.value] if row.private is not None else []
            if row.secondaries is not None:
                flags[-1] = f"primary of {','.join(ranges(row.secondaries.value))}"
            lines.append(f"{row.vid}: " + "; ".join(["", *flags]).strip())
    for port in device.ports.values():
        kind = {PortKind.BUNDLE: "bundle", PortKind.SUB: "sub"}.get(port.kind, "port")
        lines.append(f"[{kind} {port.name}]")
        if port.parent is not None and port.outer is not None:
            lines += [f"of: {port.parent.value}", f"tag: {port.outer.value}"]
        facts = [(a, getattr(port, a)) for a in _SAID if getattr(port, a) is not None]
        rng.shuffle(facts)
        lines += [f"{_KEYS.get(a, a)}: {_word(a, f.value)}" for a, f in facts]
        lines += [f"address: {f.value}" for f in port.addresses]
    for member, bundle in members_of(device).items():
        lines += [f"[bundle {bundle}]", f"members: {member}"]
    for bridge in device.bridges.values():
        lines += [f"[bridge {bridge.name}]", f"ports: {', '.join(bridge.ports)}"]
        if not bridge.ports:
            lines.pop()
    for gateway in device.gateways:
        lines.append(f"[gateway {gateway.vid}{f' in {gateway.bridge}' * bool(gateway.bridge)}]")
        lines.append(f"address: {', '.join(str(a.value) for a in gateway.addresses)}")
        lines += [f"vrf: {gateway.vrf.value}"] if gateway.vrf is not None else []
        lines += ["state: off"] if gateway.enabled is not None else []
        lines += [f"filter in: {fact.value}" for fact in gateway.filters_in]
        lines += [f"filter out: {fact.value}" for fact in gateway.filters_out]
        lines += ["tagged: yes"] if gateway.tagged else []
    for packets in device.filters.values():
        lines.append(f"[filter {packets.name}]")
        for entry in packets.entries:
            ends = f"from {entry.source or 'any'} to {entry.destination or 'any'}"
            word = "accept" if entry.accepts else "reject"
            lines.append(f"{entry.number}: {word} {ends}{' in part' * entry.finer}")
    return {f"{device.name}.sheet": "\n".join(lines) + "\n"}


# --- OpenConfig -----------------------------------------------------------------------------------


def _switched(port: Port) -> dict[str, Any]:
    if of(port, "mode", Mode.ACCESS) is Mode.ACCESS:
        return {"interface-mode": "ACCESS", "access-vlan": of(port, "access_vlan", 1)}
    said: dict[str, Any] = {"interface-mode": "TRUNK"}
    if of(port, "native_vlan", 1) is not None:
        said["native-vlan"] = of(port, "native_vlan", 1)
    if of(port, "allowed", ALL) != ALL:
        said["trunk-vlans"] = [
            int(item) if item.isdigit() else item
            for item in ranges(port.allowed.value, "..")  # type: ignore[union-attr]
        ]
    return said


def _tree(rng: random.Random, device: Device) -> dict[str, Any]:
    members = members_of(device)
    listed = []
    for port in device.ports.values():
        bundle = port.kind is PortKind.BUNDLE
        type_ = "iana-if-type:ieee8023adLag" if bundle else "iana-if-type:ethernetCsmacd"
        config = {"name": port.name, "type": type_, "enabled": of(port, "enabled", True)}
        holder: dict[str, Any] = {}
        if port.name in members:
            holder["config"] = {"openconfig-if-aggregate:aggregate-id": members[port.name]}
        else:
            half = rng.choice(["config", "state"])  # an export brings one, the other, or both
            holder["openconfig-vlan:switched-vlan"] = {half: _switched(port)}
        name = "if-aggregate:aggregation" if bundle else "if-ethernet:ethernet"
        listed.append({"name": port.name, "config": config, f"openconfig-{name}": holder})
    listed += [_routed_vlan(gateway) for gateway in device.gateways]
    tree: dict[str, Any] = {
        "openconfig-system:system": {"config": {"hostname": device.name}},
        "openconfig-interfaces:interfaces": {"interface": listed},
    }
    if device.filters:
        tree["openconfig-acl:acl"] = _acl(device)
    if device.vlans is not None:
        rows = [
            {
                "vlan-id": row.vid,
                "config": {
                    "vlan-id": row.vid,
                    "status": "ACTIVE" if row.active is None else "SUSPENDED",
                },
            }
            for row in device.vlans.values()
        ]
        instance = {
            "name": "default",
            "config": {"type": "openconfig-network-instance-types:DEFAULT_INSTANCE"},
            "vlans": {"vlan": rows},
        }
        tree["openconfig-network-instance:network-instances"] = {"network-instance": [instance]}
    tables = sorted({g.vrf.value for g in device.gateways if g.vrf is not None})
    if tables:
        listed_instances = tree.setdefault(
            "openconfig-network-instance:network-instances", {"network-instance": []}
        )["network-instance"]
        listed_instances += [_table(device, table) for table in tables]
    return tree


def _table(device: Device, table: str) -> dict[str, Any]:
    members = [g for g in device.gateways if g.vrf is not None and g.vrf.value == table]
    kind = "openconfig-network-instance-types:L3VRF"
    return {
        "name": table,
        "config": {"name": table, "type": kind},
        "interfaces": {
            "interface": [
                {"id": f"irb{g.vid}", "config": {"id": f"irb{g.vid}", "interface": f"irb{g.vid}"}}
                for g in members
            ]
        },
    }


def _routed_vlan(gateway: Gateway) -> dict[str, Any]:
    name = f"irb{gateway.vid}"
    routed: dict[str, Any] = {"config": {"vlan": gateway.vid}}
    for fact_ in gateway.addresses:
        own = {"ip": str(fact_.value.ip), "prefix-length": fact_.value.network.prefixlen}
        family = f"openconfig-if-ip:ipv{fact_.value.version}"
        addresses = routed.setdefault(family, {"addresses": {"address": []}})["addresses"]
        addresses["address"].append({"ip": own["ip"], "config": own})
    config = {"name": name, "type": "iana-if-type:l3ipvlan", "enabled": gateway.enabled is None}
    return {"name": name, "config": config, "openconfig-vlan:routed-vlan": routed}


def _acl(device: Device) -> dict[str, Any]:
    """One set for each family that a filter speaks of; what speaks of none is in a mixed one."""
    sets, bound = [], []
    for packets in device.filters.values():
        entries = [_acl_entry(entry) for entry in packets.entries]
        sets.append(
            {
                "name": packets.name,
                "type": "openconfig-acl:ACL_MIXED",
                "config": {"name": packets.name, "type": "openconfig-acl:ACL_MIXED"},
                "acl-entries": {"acl-entry": entries},
            }
        )
    for gateway in device.gateways:
        sides: dict[str, Any] = {}
        for word, names in (("ingress", gateway.filters_in), ("egress", gateway.filters_out)):
            if names:
                sides[f"{word}-acl-sets"] = {
                    f"{word}-acl-set": [
                        {"set-name": name.value, "type": "openconfig-acl:ACL_MIXED"}
                        for name in names
                    ]
                }
        if sides:
            name = f"irb{gateway.vid}"
            bound.append({"id": name, "config": {"id": name}, **sides})
    return {"acl-sets": {"acl-set": sets}, "interfaces": {"interface": bound}}


def _acl_entry(entry: FilterEntry) -> dict[str, Any]:
    matches: dict[str, Any] = {}
    for word, net in (("source", entry.source), ("destination", entry.destination)):
        if net is not None:
            family = matches.setdefault(f"ipv{net.version}", {"config": {}})
            family["config"][f"{word}-address"] = str(net)
    if entry.finer:
        matches["transport"] = {"config": {"destination-port": 443}}
    word = "ACCEPT" if entry.accepts else "DROP"
    return {
        "sequence-id": entry.number,
        "config": {"sequence-id": entry.number},
        **matches,
        "actions": {"config": {"forwarding-action": f"openconfig-acl:{word}"}},
    }


def openconfig(rng: random.Random, device: Device) -> Files:
    return {f"{device.name}.json": json.dumps(_tree(rng, device), indent=rng.choice([None, 1, 2]))}


def xml(rng: random.Random, device: Device) -> Files:
    def element(name: str, value: Any) -> str:
        plain = name.rpartition(":")[2]
        if isinstance(value, list):
            return "".join(element(name, item) for item in value)
        if isinstance(value, dict):
            inner = "".join(element(key, item) for key, item in value.items())
        else:
            inner = str(value).lower() if isinstance(value, bool) else str(value)
        return f"<{plain}>{inner}</{plain}>"

    inner = "".join(element(key, value) for key, value in _tree(rng, device).items())
    return {f"{device.name}.xml": f'<?xml version="1.0"?>\n<data>{inner}</data>\n'}


# --- walks ----------------------------------------------------------------------------------------


def _bitmap(numbers: list[int], most: int) -> str:
    octets = bytearray((most + 7) // 8)
    for number in numbers:
        octets[(number - 1) // 8] |= 0x80 >> (number - 1) % 8
    return octets.hex(" ").upper()


def walk(rng: random.Random, device: Device) -> Files:
    interfaces = {name: 10 + 3 * n for n, name in enumerate(device.ports)}
    members = members_of(device)
    bridged = [name for name in device.ports if name not in members]
    numbers = dict(zip(bridged, rng.sample(range(1, 40), len(bridged)), strict=True))
    rows: list[tuple[str, str, str]] = [("1.3.6.1.2.1.1.5", "0", f'STRING: "{device.name}"')]
    for name, port in device.ports.items():
        index = str(interfaces[name])
        lag = 161 if port.kind is PortKind.BUNDLE else 6
        rows.append(("1.3.6.1.2.1.2.2.1.3", index, f"INTEGER: {lag}"))
        state = 1 if of(port, "enabled", True) else 2
        rows.append(("1.3.6.1.2.1.2.2.1.7", index, f"INTEGER: {state}"))
        rows.append(("1.3.6.1.2.1.31.1.1.1.1", index, f'STRING: "{name}"'))
        if name in members:
            bundle = interfaces[members[name]]
            rows.append(("1.2.840.10006.300.43.1.2.1.1.13", index, f"INTEGER: {bundle}"))
    vlan = "1.3.6.1.2.1.17.7.1.4"
    for name, number in numbers.items():
        port, at = device.ports[name], str(number)
        accept = {Accept.ALL: 1, Accept.TAGGED: 2, Accept.UNTAGGED: 3}[of(port, "accept", None)]
        filtering = 1 if of(port, "ingress_filtering", False) else 2
        rows.append(("1.3.6.1.2.1.17.1.4.1.2", at, f"INTEGER: {interfaces[name]}"))
        rows.append((f"{vlan}.5.1.1", at, f"Gauge32: {of(port, 'pvid', 1)}"))
        rows.append((f"{vlan}.5.1.2", at, f"INTEGER: {accept}"))
        rows.append((f"{vlan}.5.1.3", at, f"INTEGER: {filtering}"))
    most = max(numbers.values())
    for row in (device.vlans or {}).values():
        bare = [n for p, n in numbers.items() if row.vid in of(device.ports[p], "untagged", ())]
        tagged = [n for p, n in numbers.items() if row.vid in of(device.ports[p], "tagged", ())]
        rows.append((f"{vlan}.3.1.2", str(row.vid), f"Hex-STRING: {_bitmap(bare + tagged, most)}"))
        rows.append((f"{vlan}.3.1.4", str(row.vid), f"Hex-STRING: {_bitmap(bare, most)}"))
        status = 1 if row.active is None else 2
        rows.append((f"{vlan}.3.1.5", str(row.vid), f"INTEGER: {status}"))
    rows.sort(key=lambda row: [int(part) for part in f"{row[0]}.{row[1]}".split(".")])
    base, short = rng.choice(
        [
            ("1.", ".1."),
            ("1.", "iso."),
            ("1.3.6.1.2.1.17.", "BRIDGE-MIB::dot1dBridge."),
            ("1.3.6.1.2.1.", "SNMPv2-SMI::mib-2."),
        ]
    )

    def spelled(column: str) -> str:
        return short + column.removeprefix(base) if column.startswith(base) else f".{column}"

    return {f"{device.name}.walk": "".join(f"{spelled(c)}.{i} = {value}\n" for c, i, value in rows)}


# --- Linux ----------------------------------------------------------------------------------------


def takes_no_notice(device: Device, bridge: str = "") -> bool:
    return any(
        of(port, "mode", None) is Mode.UNAWARE
        for port in device.ports.values()
        if bridge_of(device, port.name) == bridge
    )


def linux(rng: random.Random, device: Device) -> Files:
    members = members_of(device)
    filters = int(not takes_no_notice(device))
    names = {"": "br0"} | {name: name for name in device.bridges}
    links: list[dict[str, Any]] = []
    for bridge, called in names.items():
        data = {
            "vlan_filtering": int(not takes_no_notice(device, bridge)),
            "vlan_default_pvid": 0,
        }
        info = {"info_kind": "bridge", "info_data": data}
        links.append({"ifname": called, "flags": ["UP"], "link_type": "ether", "linkinfo": info})
    vlans = []
    for name, port in device.ports.items():
        up = ["UP"] if of(port, "enabled", True) else []
        entry: dict[str, Any] = {"ifname": name, "flags": ["BROADCAST", *up], "link_type": "ether"}
        if name in members:
            links.append({**entry, "master": members[name]})
            continue
        own: dict[str, Any] = {}
        routed = of(port, "mode", None) is Mode.ROUTED
        if not routed:
            entry["master"] = names[bridge_of(device, name)]
            isolated = {"isolated": of(port, "protected", False)}
            own = {"info_slave_kind": "bridge", "info_slave_data": isolated}
        if port.kind is PortKind.BUNDLE:
            own |= {"info_kind": "bond", "info_data": {"mode": "802.3ad"}}
        if port.parent is not None and port.outer is not None:
            entry["link"] = port.parent.value
            tag = {"protocol": "802.1Q", "id": port.outer.value}
            own |= {"info_kind": "vlan", "info_data": tag}
        links.append(entry | ({"linkinfo": own} if own else {}))
        if routed:
            continue
        rows = []
        for vid in of(port, "tagged", VlanSet()) | of(port, "untagged", VlanSet()):
            flags = ["PVID"] if vid == of(port, "pvid", None) else []
            flags += ["Egress Untagged"] if vid in of(port, "untagged", ()) else []
            rows.append({"vlan": vid} | ({"flags": flags} if flags else {}))
        if rows or rng.random() < 0.5:
            vlans.append({"ifname": name, "vlans": rows})
    addresses, members_of_it = [], []
    for gateway in device.gateways:
        plain = filters == 0 and not gateway.tagged
        name = "br0" if plain else f"br0.{gateway.vid}"
        if not plain:
            vlan = {"info_kind": "vlan", "info_data": {"protocol": "802.1Q", "id": gateway.vid}}
            up = [] if gateway.enabled is not None else ["UP"]
            links.append({"ifname": name, "link": "br0", "flags": up, "linkinfo": vlan})
            members_of_it.append({"vlan": gateway.vid})
        listed = [
            {"family": "inet6" if a.value.version == 6 else "inet", "local": str(a.value.ip)}
            | {"prefixlen": a.value.network.prefixlen}
            for a in gateway.addresses
        ]
        addresses.append({"ifname": name, "addr_info": listed})
        if plain and gateway.enabled is not None:
            links[0]["flags"] = []
    if members_of_it:
        vlans.append({"ifname": "br0", "vlans": members_of_it})
    rng.shuffle(links)
    folder = device.name
    return {
        f"{folder}/link.json": json.dumps(links),
        **({f"{folder}/addr.json": json.dumps(addresses)} if addresses else {}),
        f"{folder}/vlan.json": json.dumps(vlans or [{"ifname": "br0", "vlans": []}]),
        f"{folder}/hostname": f"{device.name}\n",
    }


def networkd(rng: random.Random, device: Device) -> Files:
    members = members_of(device)
    folder = f"{device.name}/etc/systemd/network"
    files = {
        f"{folder}/10-br0.netdev": "[NetDev]\nName=br0\nKind=bridge\n\n[Bridge]\n"
        + ("" if takes_no_notice(device) else "VLANFiltering=yes\nDefaultPVID=none\n"),
        f"{device.name}/etc/hostname": f"{device.name}\n",
    }
    for name, port in device.ports.items():
        if port.kind is PortKind.BUNDLE:
            files[f"{folder}/20-{name}.netdev"] = (
                f"[NetDev]\nName={name}\nKind=bond\n[Bond]\nMode=802.3ad\n"
            )
        lines = ["[Match]", f"Name={name}"]
        if not of(port, "enabled", True):
            lines += ["[Link]", "ActivationPolicy=always-down"]
        lines.append("[Network]")
        if name in members:
            lines.append(f"Bond={members[name]}")
            files[f"{folder}/30-{name}.network"] = "\n".join(lines) + "\n"
            continue
        lines.append("Bridge=br0")
        if of(port, "protected", False):
            lines += ["[Bridge]", "Isolated=yes"]
        for item in ranges(of(port, "tagged", VlanSet())):
            lines += ["[BridgeVLAN]", f"VLAN={item}"]
        for item in ranges(of(port, "untagged", VlanSet())):
            lines += ["[BridgeVLAN]", f"VLAN={item}", f"EgressUntagged={item}"]
        if of(port, "pvid", None) is not None:
            lines += ["[BridgeVLAN]", f"PVID={of(port, 'pvid', None)}"]
        files[f"{folder}/30-{name}.network"] = "\n".join(lines) + "\n"
    return files


# --- two dialects ---------------------------------------------------------------------------------

ELM = """
dialect = "elm"
recognise = ["elm {name}"]
[text]
shape = "indented"
comment = ["%"]
negation = ["without"]
[lists]
separators = [",", "and"]
ranges = ["to"]
[device.says]
"elm {name}" = "name = {name}"
[vlan]
opens = ["bed {vids}"]
[vlan.says]
"rests" = "state = suspended"
"stands {word}" = "private = {word}"
[port]
opens = ["row {ports}"]
[port.says]
SAYS
"tied to {word}" = "bundle = {word}"
[bundle]
opens = ["rope {word}"]
[bundle.says]
SAYS
"""
_ELM_SAYS = {
    "mode": '"is {text}" = "mode = {text}"',
    "negotiation": '"asks {word}" = "negotiation = {word}"',
    "access_vlan": '"sows {vid}" = "vlan = {vid}"',
    "voice_vlan": '"speaks {word}" = "voice = {word}"',
    "native_vlan": '"plain {word}" = "native = {word}"',
    "native_tagged": '"plain is marked {word}" = "native tagged = {word}"',
    "allowed": '"carries {vids}" = "allowed = {vids}"\n"carries all" = "allowed = all"\n'
    '"carries none" = "allowed = none"',
    "withheld": '"withholds {vids}" = "withheld = {vids}"\n"withholds none" = "withheld = none"',
    "pvid": '"base {word}" = "pvid = {word}"',
    "accept": '"takes {word}" = "accept = {word}"',
    "ingress_filtering": '"strict {word}" = "ingress filtering = {word}"',
    "tagged": '"marked {vids}" = "tagged = {vids}"\n"marked none" = "tagged = none"',
    "untagged": '"bare {vids}" = "untagged = {vids}"\n"bare none" = "untagged = none"',
    "primary": '"of {vid}" = "primary = {vid}"',
    "secondary": '"beside {vid}" = "secondary = {vid}"',
    "secondaries": '"for {vids}" = "secondaries = {vids}"\n"for none" = "secondaries = none"',
    "protected": '"hedged {word}" = "protected = {word}"',
    "registration": '"registers {word}" = "registration = {word}"',
    "forbidden": '"never {vids}" = "forbidden = {vids}"\n"never none" = "forbidden = none"',
    "enabled": '"awake {word}" = "state = {word}"',
}
ELM = ELM.replace("SAYS", "\n".join(_ELM_SAYS.values()))


def elm(rng: random.Random, device: Device) -> Files:
    """Indented; ports that say the same may share a head; a later line wins."""
    lines = [f"elm {device.name}", "% kept by the gardener"]
    for row in (device.vlans or {}).values():
        lines.append(f"bed {row.vid}")
        lines += ["  rests"] if row.active is not None else []
        lines += [f"  stands {row.private.value}"] if row.private is not None else []
    if device.vlans is not None and not device.vlans:
        lines += ["bed 10", "without bed 10"]
    members = members_of(device)
    blocks: dict[tuple[str, ...], list[Port]] = {}
    for port in device.ports.values():
        said = []
        for attribute, form in _ELM_SAYS.items():
            if getattr(port, attribute) is None:
                continue
            word = form.split("{")[0].lstrip('"').rstrip()
            value = _word(attribute, getattr(port, attribute).value)
            said.append(
                f"  {word} {value.replace('-', ' to ').replace(',', rng.choice([',', ' and ']))}"
            )
            if rng.random() < 0.1 and attribute == "access_vlan":
                said.insert(0, "  sows 77")  # a line that a later one replaces
        if port.name in members:
            said.append(f"  tied to {members[port.name]}")
        key = ("rope" if port.kind is PortKind.BUNDLE else "row", *said)
        blocks.setdefault(key, []).append(port)
    for (head, *said), ports in blocks.items():
        if head == "row" and len(ports) > 1:
            lines += [f"row {', '.join(port.name for port in ports)}", *said]
        else:
            for port in ports:
                lines += [f"{head} {port.name}", *said]
    return {f"{device.name}.elm.txt": "\n".join(lines) + "\n", "elm.toml": ELM}


OAK = """
dialect = "oak"
recognise = ["oak name {name}"]
[text]
shape = "flat"
spaces = "=>"
[lists]
ranges = [".."]
[defaults]
mode = "general"
pvid = "none"
tagged = "none"
untagged = "none"
[device.says]
"oak name {name}" = "name = {name}"
"oak stem {port} asleep" = "on port {port}: state = off"
"oak stem {port} roots {vid}" = "on port {port}: pvid = {vid}"
"oak stem {port} only {word}" = "on port {port}: accept = {word}"
"oak stem {port} guarded" = "on port {port}: ingress filtering = on"
"oak crown {word}" = "on bundle {word}: mode = general"
"oak stem {port} joins {word}" = "on port {port}: bundle = {word}"
[vlan]
opens = ["oak ring {vid}"]
[vlan.says]
"of wood" = "is there"
"rests" = "state = suspended"
"bare on {ports}" = "on ports {ports}: untagged + {vid}"
"marked on {ports}" = "on ports {ports}: tagged + {vid}"
"""


def oak(rng: random.Random, device: Device) -> Files:
    """One path a line; the VLAN names its ports, in ranges."""
    lines = [f"oak > name = {device.name}"]
    members = members_of(device)
    for name, port in device.ports.items():
        if port.kind is PortKind.BUNDLE:
            lines.append(f"oak > crown > {name}")
    for name, port in device.ports.items():
        if name in members:
            lines.append(f"oak > stem > {name} > joins > {members[name]}")
        lines.append(f"oak > stem > {name} > roots = {of(port, 'pvid', 1)}")
        lines.append(f"oak > stem > {name} > only {of(port, 'accept', Accept.ALL)}")
        if of(port, "ingress_filtering", False):
            lines.append(f"oak > stem > {name} > guarded")
        if not of(port, "enabled", True):
            lines.append(f"oak > stem > {name} > asleep")
    for row in (device.vlans or {}).values():
        ring = f"oak > ring > {row.vid}"
        lines += [f"{ring} > of wood"] + ([f"{ring} > rests"] if row.active is not None else [])
        for word, attribute in (("bare", "untagged"), ("marked", "tagged")):
            on = [p.name for p in device.ports.values() if row.vid in of(p, attribute, ())]
            if on:
                rng.shuffle(on)
                lines.append(f"{ring} > {word} > on = {','.join(on)}")
    return {f"{device.name}.oak.txt": "\n".join(lines) + "\n", "oak.toml": OAK}


GATEWAYS = ("sheet", "openconfig", "xml", "linux")
"""The formats that gateways are written in."""

FORMATS: dict[str, Callable[[random.Random, Device], Files]] = {
    "sheet": sheet,
    "openconfig": openconfig,
    "xml": xml,
    "walk": walk,
    "linux": linux,
    "networkd": networkd,
    "elm": elm,
    "oak": oak,
}
"""Format -> the files of a device in it."""


def in_files(
    rng: random.Random, campus: Campus, folder: Path, forms: Sequence[str] = tuple(FORMATS)
) -> None:
    """Write a campus into a folder, each switch in a format of its own. The campus is changed to
    what the formats can say.
    """
    files: Files = {}
    for device in campus.devices.values():
        form = rng.choice(forms)
        fit(rng, device, form)
        files |= FORMATS[form](rng, device)
    files["cabling.csv"] = cabling(campus)
    campus.hosts[:] = [h for h in campus.hosts if h.port in campus.devices[h.device].ports]
    if campus.hosts:
        rows = [f"{h.name},{h.device},{h.port},{h.vid or ''}" for h in campus.hosts]
        files["hosts.csv"] = "\n".join(["host,switch,port,vlan", *rows]) + "\n"
    shutil.rmtree(folder, ignore_errors=True)
    for name, text in files.items():
        (folder / name).parent.mkdir(parents=True, exist_ok=True)
        (folder / name).write_text(text)
