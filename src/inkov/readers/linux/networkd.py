"""systemd-networkd: `.netdev` and `.network` unit files, as they lie in etc/systemd/network.

Each file is a piece; the units of one system are put together by `assemble_units`. A `.network`
file applies to the interfaces that its [Match] names, and for each interface the first that
matches, by the files' names, counts. Names with wildcards match the interfaces that the other units
know of.

A port that joins a bridge with VLAN filtering gets the bridge's default PVID, untagged, from the
kernel; [BridgeVLAN] adds to that. So a port with another PVID still sends the default VLAN
untagged, unless DefaultPVID=none.
"""

from __future__ import annotations

import fnmatch
from collections.abc import Iterator
from ipaddress import ip_interface
from typing import Any

from msgspec import Struct, field
from msgspec.structs import replace

from inkov.campus import Fact, Origin, Problem, address_text
from inkov.campus.secrets import without_secrets
from inkov.readers.linux.device import Member, Netdev, bond_mode, build
from inkov.readers.reading import Ledger, Part, Piece, Reading, Unread, as_text

__all__ = ["Unit", "assemble_units", "read", "recognise", "unit_of"]

_YES = {
    "yes": True,
    "true": True,
    "1": True,
    "on": True,
    "no": False,
    "false": False,
    "0": False,
    "off": False,
}
_KNOWN: dict[str, set[str]] = {
    "NetDev": {"Name", "Kind", "Description", "MTUBytes", "MACAddress"},
    "VLAN": {"Id"},
    "Bridge": {"VLANFiltering", "DefaultPVID", "STP", "Priority", "Cost", "Isolated"},
    "Bond": {"Mode"},
    "Match": {"Name"},
    "Network": {"Description", "Bridge", "Bond", "VLAN", "Address", "VRF"},
    "Link": {"MTUBytes", "ActivationPolicy", "MACAddress"},
    "BridgeVLAN": {"VLAN", "PVID", "EgressUntagged"},
    "Address": {"Address"},
}
"""Section -> the keys that are read. Other keys of these sections are without meaning here, unless
they name VLANs.
"""
_UNMATCHED = {("Bridge", "VLANProtocol"), ("VLAN", "Protocol"), ("VLAN", "GVRP"), ("VLAN", "MVRP")}


class Setting(Struct, frozen=True):
    section: str
    number: int  # of the section: some come more than once
    key: str
    value: str
    file: str
    line: int


class Unit(Struct):
    """One unit file: its settings in order."""

    file: str
    settings: list[Setting] = field(default_factory=list)
    sections: set[str] = field(default_factory=set)

    def all(self, section: str, key: str) -> list[Setting]:
        return [
            setting
            for setting in self.settings
            if setting.section == section and setting.key == key
        ]

    def last(self, section: str, key: str) -> Setting | None:
        settings = self.all(section, key)
        return settings[-1] if settings else None

    def fact(self, section: str, key: str, read: Any, problems: list[Problem]) -> Fact[Any] | None:
        """The last value of a key, read; a problem if it is none."""
        setting = self.last(section, key)
        if setting is None:
            return None
        origin = Origin(setting.file, setting.line)
        try:
            return Fact(read(setting.value), origin)
        except (ValueError, KeyError):
            problems.append(
                Problem(origin, f"{key}={setting.value} is not understood; it is left out")
            )
            return None


_FIRST = {f"[{section}]" for section in (*_KNOWN, "Route", "DHCP", "DHCPv4")}


def recognise(head: bytes) -> bool:
    """True if the first line that says something opens a section of these units (in a drop-in, any
    that is read).
    """
    for line in head.decode("utf-8", "replace").splitlines():
        text = line.strip()
        if text and text[0] not in "#;":
            # The first section decides: a file that only has some such section below is another
            # format.
            return text in _FIRST
    return False


def read(file: str, data: bytes, *, account: bool) -> Reading:
    """Read one unit: a piece of a system, for `assemble_units`."""
    reader = _UnitReader(file)
    text, reader.part.problems = as_text(file, data)
    for number, line in _statements(text):
        reader.line(number, line)
    reader.part.pieces.append(Piece("networkd", "unit", file, reader.unit))
    return Reading(reader.part, reader.ledger)


def _statements(text: str) -> Iterator[tuple[int, str]]:
    """(line number, text) of each statement. A line that ends with a backslash goes on below."""
    begun = ""
    for number, raw in enumerate(text.split("\n"), 1):
        line = begun + raw.strip()
        begun = ""
        # A comment does not go on below, even if it ends so.
        if line.endswith("\\") and line[0] not in "#;":
            begun = line[:-1] + " "
        elif line:
            yield number, line
    if begun.strip():  # the last line goes on, and there is no other
        yield number, begun.strip()


class _UnitReader:
    """Goes through the statements of a unit."""

    def __init__(self, file: str) -> None:
        self.part = Part()
        self.ledger = Ledger()
        self.unit = Unit(file)
        self.section, self.number = "", 0

    def line(self, number: int, line: str) -> None:
        if line[0] in "#;":
            self.ledger.passed += 1
        elif line[0] == "[" and line[-1] == "]":
            self._open(line[1:-1])
        else:
            self._setting(number, line)

    def _open(self, section: str) -> None:
        self.section, self.number = section, self.number + 1
        self.unit.sections.add(section)
        known = section in _KNOWN
        self.ledger.understood += known
        self.ledger.passed += not known

    def _setting(self, number: int, line: str) -> None:
        section, origin = self.section, Origin(self.unit.file, number)
        key, equals, value = (piece.strip() for piece in line.partition("="))
        if not equals or not section:
            self.ledger.unmatched.append(Unread(origin, line))
            shown = without_secrets(line)[:80]
            says = f"{shown!r} is neither [Section] nor Key=value"
            self.part.problems.append(Problem(origin, says))
        elif key in _KNOWN.get(section, ()):
            # Settings of sections that come more than once are told apart by their number.
            self.unit.settings.append(
                Setting(section, self.number, key, value, self.unit.file, number)
            )
            self.ledger.understood += 1
        elif _may_matter(section, key):
            # What narrows a match or changes tags is not passed over in silence.
            shown = f"{key}={without_secrets(value)}"  # the name of an option is no secret
            self.ledger.unmatched.append(Unread(origin, f"[{section}] {shown}", ours=True))
        else:
            self.ledger.passed += 1


def _may_matter(section: str, key: str) -> bool:
    """True for a key that is not read and may change which frames go where."""
    narrows = section == "Match" and key != "Type"
    return narrows or section == "BridgeVLAN" or (section, key) in _UNMATCHED


def _with_drop_ins(units: list[Unit], problems: list[Problem]) -> list[Unit]:
    """The units in the order of their names, each with its drop-ins (`NAME.network.d/*.conf`),
    whose settings come behind its own.
    """

    def names(unit: Unit) -> tuple[str, str]:
        folder, _, name = unit.file.replace("\\", "/").rpartition("/")
        return folder.rpartition("/")[2], name

    units = sorted(units, key=lambda unit: (names(unit)[1], unit.file))
    whole = {names(unit)[1]: unit for unit in units if not names(unit)[0].endswith(".d")}
    for unit in units:
        folder = names(unit)[0]
        if not folder.endswith(".d"):
            continue
        base = whole.get(folder.removesuffix(".d"))
        if base is None:
            says = f"there is no unit {folder.removesuffix('.d')} that this would add to"
            # A drop-in without its unit: systemd would not apply it either.
            problems.append(Problem(Origin(unit.file, 1), says, "add it to the files"))
            continue
        last = max((setting.number for setting in base.settings), default=0)
        base.settings += [
            # Sections of a drop-in come behind those of the unit, as new ones.
            replace(setting, number=setting.number + last)
            for setting in unit.settings
        ]
        base.sections |= unit.sections
    return list(whole.values())


def assemble_units(name: str, origin: Origin, pieces: list[Piece]) -> Part:
    """One system of its units."""
    part = Part()
    units = _with_drop_ins([piece.content for piece in pieces], part.problems)
    netdevs: dict[str, Netdev] = {}
    for unit in units:
        _netdev(unit, netdevs, part.problems)
    # Names without wildcards are interfaces that exist even if no other unit says so.
    networks = [unit for unit in units if "Match" in unit.sections]
    for unit in networks:
        for setting in unit.all("Match", "Name"):
            for word in setting.value.split():
                if not set(word) & set("*?[!"):
                    netdevs.setdefault(word, Netdev(word, Origin(setting.file, setting.line)))
    for known in list(netdevs.values()):
        # Of several units that match, the first by name counts, alone.
        own = next((unit for unit in networks if _matches(unit, known.name)), None)
        if own is not None:
            _network(own, known, netdevs, part.problems)
    for unit in networks:
        match = unit.last("Match", "Name")
        if match is None:
            says = (
                "[Match] without Name: which interfaces it is for is not known here, so it is for"
                " none"
            )
            part.problems.append(
                Problem(Origin(unit.file, 1), says, "name the interfaces in [Match] Name=")
            )
        elif not any(_matches(unit, known) for known in netdevs):
            says = f"Name={match.value} matches no interface that the other units name"
            cure = "add the output of `ip -j -d link`, or name the interfaces"
            part.problems.append(Problem(Origin(match.file, match.line), says, cure))
    for known in netdevs.values():
        _default_vlan(known, netdevs)
    part.devices.append(build(name, origin, netdevs, part.problems))
    return part


def unit_of(units: list[Unit], name: str) -> Unit | None:
    """The unit that is for an interface: the first by name that matches."""
    ordered = _with_drop_ins(list(units), [])
    return next((u for u in ordered if "Match" in u.sections and _matches(u, name)), None)


def _matches(unit: Unit, name: str) -> bool:
    setting = unit.last("Match", "Name")
    words = setting.value.split() if setting else []
    # A mark in front turns all of the list round (systemd.network, [Match]).
    if words and words[0].startswith("!"):
        words[0] = words[0][1:]
        return not any(fnmatch.fnmatchcase(name, word) for word in words)
    return any(fnmatch.fnmatchcase(name, word) for word in words)


def _netdev(unit: Unit, netdevs: dict[str, Netdev], problems: list[Problem]) -> None:
    named, kind = unit.last("NetDev", "Name"), unit.last("NetDev", "Kind")
    if named is None or kind is None:
        # A unit with a match only has no device of its own.
        if "NetDev" in unit.sections:
            problems.append(
                Problem(Origin(unit.file, 1), "[NetDev] needs Name and Kind; the unit is left out")
            )
        return
    netdev = netdevs[named.value] = Netdev(named.value, Origin(named.file, named.line), kind.value)
    netdev.about = unit.fact("NetDev", "Description", str, problems)
    netdev.mtu = unit.fact("NetDev", "MTUBytes", int, problems)
    netdev.address = _hardware_address(unit, "NetDev", problems)
    if kind.value == "vlan":
        netdev.vid = unit.fact("VLAN", "Id", _vid, problems)
    elif kind.value == "bridge":
        # By default a bridge does not filter (systemd.netdev); stated here so that it has a line.
        off = Fact(False, Origin(kind.file, kind.line, says="VLANFiltering is off unless set"))
        netdev.filtering = unit.fact("Bridge", "VLANFiltering", _yes, problems) or off
        netdev.default_pvid = unit.fact("Bridge", "DefaultPVID", _vid_or_none, problems)
        netdev.stp = unit.fact("Bridge", "STP", _yes, problems)
        netdev.priority = unit.fact("Bridge", "Priority", int, problems)
    elif kind.value == "bond":
        mode = unit.last("Bond", "Mode")
        where = Origin((mode or kind).file, (mode or kind).line)
        netdev.aggregation = Fact(bond_mode(mode.value if mode else None), where)


def _hardware_address(unit: Unit, section: str, problems: list[Problem]) -> Fact[str] | None:
    """The address that is given to an interface: of a bridge, that of its spanning tree. None if it
    is left to the system.
    """
    setting = unit.last(section, "MACAddress")
    if setting is None or setting.value.lower() in ("none", ""):
        return None
    return unit.fact(section, "MACAddress", address_text, problems)


def _network(
    unit: Unit, netdev: Netdev, netdevs: dict[str, Netdev], problems: list[Problem]
) -> None:
    netdev.master = unit.fact("Network", "Bridge", str, problems) or unit.fact(
        "Network", "Bond", str, problems
    )
    netdev.about = netdev.about or unit.fact("Network", "Description", str, problems)
    netdev.vrf = unit.fact("Network", "VRF", str, problems)
    netdev.mtu = netdev.mtu or unit.fact("Link", "MTUBytes", int, problems)
    netdev.address = _hardware_address(unit, "Link", problems) or netdev.address
    netdev.isolated = unit.fact("Bridge", "Isolated", _yes, problems)
    netdev.cost = unit.fact("Bridge", "Cost", int, problems)
    netdev.port_priority = (
        unit.fact("Bridge", "Priority", int, problems) if netdev.kind != "bridge" else None
    )
    policy = unit.last("Link", "ActivationPolicy")
    # Shut by policy; the other policies leave it to somebody else.
    if policy is not None and policy.value in ("down", "always-down"):
        netdev.enabled = Fact(False, Origin(policy.file, policy.line))
    for setting in unit.all("Network", "VLAN"):
        # The VLAN device says its number, this unit what it is stacked upon.
        above = netdevs.get(setting.value)
        if above is None or above.kind != "vlan":
            says = f"VLAN={setting.value} names no VLAN device of these units"
            problems.append(Problem(Origin(setting.file, setting.line), says))
        else:
            above.link = Fact(netdev.name, Origin(setting.file, setting.line))
    for setting in [*unit.all("Network", "Address"), *unit.all("Address", "Address")]:
        try:
            netdev.addresses.append(
                Fact(ip_interface(setting.value), Origin(setting.file, setting.line))
            )
        except ValueError:
            says = f"{setting.value!r} is not an address with its prefix; it is left out"
            problems.append(Problem(Origin(setting.file, setting.line), says))
    _bridge_vlans(unit, netdev, problems)


def _bridge_vlans(unit: Unit, netdev: Netdev, problems: list[Problem]) -> None:
    for setting in (setting for setting in unit.settings if setting.section == "BridgeVLAN"):
        netdev.members = {} if netdev.members is None else netdev.members
        origin = Origin(setting.file, setting.line)
        try:
            if setting.key == "PVID":
                # `PVID=1` is VLAN 1, and `PVID=yes` is none: only words are yes or no.
                if setting.value.lower() not in _YES or setting.value.isdigit():
                    for member in netdev.members.values():
                        member.pvid = False
                    vid = _vid(setting.value)
                    netdev.members[vid] = Member(True, _untagged(netdev, vid), origin)
                elif not _yes(setting.value):
                    # No PVID at all, not even the bridge's, until the default is given.
                    netdev.members[0] = Member(False, False, origin)
                continue
            for vid in _range(setting.value):
                known = netdev.members.get(vid) or Member(False, False, origin)
                known.untagged = known.untagged or setting.key == "EgressUntagged"
                netdev.members[vid] = known
        except ValueError:
            problems.append(
                Problem(
                    origin, f"{setting.key}={setting.value} names no VLANs (1 to 4094); left out"
                )
            )


def _untagged(netdev: Netdev, vid: int) -> bool:
    known = (netdev.members or {}).get(vid)
    return known is not None and known.untagged


def _default_vlan(netdev: Netdev, netdevs: dict[str, Netdev]) -> None:
    """What the kernel gives a port when it joins a bridge that filters VLANs."""
    bridge = (
        netdevs.get(netdev.master.value)
        if netdev.master
        else netdev
        if netdev.kind == "bridge"
        else None
    )
    # Only a bridge with VLAN filtering gives its ports a default VLAN.
    if (
        bridge is None
        or bridge.kind != "bridge"
        or bridge.filtering is None
        or not bridge.filtering.value
    ):
        return
    members = netdev.members = netdev.members or {}
    none = members.pop(0, None)
    default = 1 if bridge.default_pvid is None else bridge.default_pvid.value
    if default is not None:
        pvid = none is None and not any(member.pvid for member in members.values())
        origin = bridge.default_pvid.origin if bridge.default_pvid else bridge.filtering.origin
        # A stated membership of the default VLAN stays as it is stated, but for the PVID.
        members.setdefault(default, Member(pvid, True, origin))
        members[default].pvid = members[default].pvid or pvid


def _range(text: str) -> Iterator[int]:
    low, dash, high = text.partition("-")
    yield from range(_vid(low), _vid(high if dash else low) + 1)


def _vid(text: str) -> int:
    vid = int(text)
    if not 1 <= vid <= 4094:
        raise ValueError(text)
    return vid


def _vid_or_none(text: str) -> int | None:
    return None if text == "none" else _vid(text)


def _yes(text: str) -> bool:
    return _YES[text.lower()]
