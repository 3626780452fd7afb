"""Switch sheets: Inkov's own plain-text configuration format, one readable file per switch.

The grammar is in `docs/formats.md`. A sheet is a list of lines. `[...]` opens a section, `key: value` states one fact
of it, and a later statement replaces an earlier one. What a line means is looked up in tables: `_PORT_KEYS` and its
siblings hold, for each key, the attribute it states and the two functions from text to value and back.
"""

from __future__ import annotations

import json
import re
from collections.abc import Callable
from ipaddress import ip_interface
from typing import Any

from inkov.campus import (
    STANDARD,
    Accept,
    Bridge,
    Device,
    Fact,
    Gateway,
    Mode,
    Negotiation,
    Neighbour,
    Origin,
    Port,
    PortKind,
    Private,
    Problem,
    Vlan,
)
from inkov.readers.ledger import Part, as_text
from inkov.vlanset import VlanListError, VlanSet

__all__ = ["HEADER", "read_sheet", "recognise"]

HEADER = "inkov sheet 1"
_MOST_PORTS = 4096  # of one range: a switch has fewer, and "1..999999999" must not fill the memory


class _Bad(ValueError):
    """A line that does not follow the grammar: what is wrong, and the cure."""

    def __init__(self, says: str, cure: str = "") -> None:
        super().__init__(says)
        self.cure = cure


# --- words of one value -------------------------------------------------------------------------------------------


def _vid(text: str) -> int:
    vids = VlanSet.parse(text)
    if len(vids) != 1:
        raise _Bad(f"one VLAN number is expected, not {text!r}")
    return next(iter(vids))


def _vid_or_none(text: str) -> int | None:
    return None if text.strip().lower() == "none" else _vid(text)


def _vids_or_unset(text: str) -> VlanSet | None:
    return VlanSet.parse(text)


def _one_of(words: dict[str, Any]) -> Callable[[str], Any]:
    def read(text: str) -> Any:
        word = " ".join(text.lower().split())
        if word not in words:
            raise _Bad(f"{text!r} is not one of: {', '.join(words)}")
        return words[word]

    return read


def _text(text: str) -> str:
    if text.startswith('"'):
        try:
            value = json.loads(text)
        except ValueError:
            raise _Bad(f"{text} is not a quoted text", 'write it as "..." with \\" for a quote inside') from None
        if isinstance(value, str):
            return value
    return text


_ON = {"on": True, "off": False}
_YES = {"yes": True, "no": False}


def _enum(kind: Any) -> dict[str, Any]:
    return {member.value: member for member in kind}


PORT_KEYS: dict[str, tuple[str, Callable[[str], Any]]] = {
    "about": ("description", _text),
    "state": ("enabled", _one_of(_ON)),
    "mode": ("mode", _one_of(_enum(Mode))),
    "negotiation": ("negotiation", _one_of(_enum(Negotiation))),
    "vlan": ("access_vlan", _vid),
    "voice": ("voice_vlan", _vid_or_none),
    "native": ("native_vlan", _vid_or_none),
    "native tagged": ("native_tagged", _one_of(_YES)),
    "allowed": ("allowed", VlanSet.parse),
    "withheld": ("withheld", VlanSet.parse),
    "pvid": ("pvid", _vid_or_none),
    "accept": ("accept", _one_of(_enum(Accept))),
    "ingress filtering": ("ingress_filtering", _one_of(_ON)),
    "tagged": ("tagged", VlanSet.parse),
    "untagged": ("untagged", _vids_or_unset),
    "primary": ("primary", _vid),
    "secondary": ("secondary", _vid),
    "secondaries": ("secondaries", VlanSet.parse),
    "protected": ("protected", _one_of(_YES)),
    "registration": ("registration", _one_of(_ON)),
    "vrf": ("vrf", _text),
    "of": ("parent", _text),
    "tag": ("outer", _vid),
}


# --- lists of names -----------------------------------------------------------------------------------------------

_NAME = re.compile(r'\s*("(?:[^"\\]|\\.)*"|[^\s,:;#"\[\]]+)\s*')
_TAIL = re.compile(r"(.*?)([0-9]+)\Z", re.DOTALL)


def names(text: str) -> list[str]:
    """Comma-separated names, each bare or in quotes; `A..B` stands for all from A to B by their last number."""
    found: list[str] = []
    at = 0
    while True:
        match = _NAME.match(text, at)
        if match is None:
            raise _Bad(f"a name is missing or not well formed in {text!r}", "put names with spaces or : , ; in quotes")
        found.extend([_text(match[1])] if match[1].startswith('"') else _range(match[1]))
        at = match.end()
        if at == len(text):
            return found
        if text[at] != ",":
            raise _Bad(f"a comma is expected before {text[at:]!r}")
        at += 1


def _range(word: str) -> list[str]:
    first, dots, last = word.partition("..")
    if not dots:
        return [word]
    low, high = _TAIL.match(first), _TAIL.match(last)
    if low is None or high is None or high[1] not in ("", low[1]) or len(low[2]) > 9 or len(high[2]) > 9:
        raise _Bad(f"{word!r} is not a range of names", "write it as 1..12 or a1..a12")
    if not 0 <= int(high[2]) - int(low[2]) < _MOST_PORTS:
        raise _Bad(f"{word!r} runs backwards or holds more than {_MOST_PORTS} names")
    return [f"{low[1]}{n}" for n in range(int(low[2]), int(high[2]) + 1)]


def _pair(text: str) -> tuple[str, str]:
    """`SWITCH:PORT`, either part bare or in quotes."""
    match = _NAME.match(text)
    second = _NAME.match(text, match.end() + 1) if match and text[match.end() : match.end() + 1] == ":" else None
    if match is None or second is None or second.end() != len(text):
        raise _Bad(f"{text!r} is not a place", "write it as SWITCH:PORT")
    return _text(match[1]), _text(second[1])


# --- the reader ---------------------------------------------------------------------------------------------------


def recognise(head: bytes) -> bool:
    """True if the first line that is neither empty nor a comment opens a sheet."""
    for line in head.decode("utf-8", "replace").lstrip("\ufeff").splitlines():
        words = line.split("#", 1)[0].split()
        if words:
            return words[:2] == HEADER.split()[:2]
    return False


def read_sheet(file: str, data: bytes) -> tuple[Part, int]:
    """Read one sheet. Returns what it holds and how many of its lines were understood.

    A line that does not follow the grammar becomes a problem and is left out; the rest is read.
    """
    return _Sheet(file).read(data)


class _Sheet:
    def __init__(self, file: str) -> None:
        self.file = file
        self.part = Part()
        self.device: Device | None = None
        self.at = Origin(file=file)
        self.line: Callable[[str, str], None] = self._head
        self.understood = 0
        self.opened: set[str] = set()

    def read(self, data: bytes) -> tuple[Part, int]:
        text, self.part.problems = as_text(self.file, data)
        for number, raw in enumerate(text.split("\n"), 1):
            line = _without_comment(raw)
            if not line:
                continue
            self.at = Origin(self.file, number)
            try:
                self._statement(line)
                self.understood += 1
            except (_Bad, VlanListError) as error:
                cure = getattr(error, "cure", "")
                self._problem(self.at, str(error), cure)
                self.part.unmatched.append((self.at, line))
        if self.device is None:
            self._problem(Origin(self.file, 1), "the sheet does not name its switch", "add a line `switch: NAME`", True)
        else:
            self.part.devices.append(self.device)
        return self.part, self.understood

    def _problem(self, origin: Origin, says: str, cure: str = "", lost: bool = False) -> None:
        self.part.problems.append(Problem(origin, says, cure, lost))

    def _statement(self, line: str) -> None:
        if line.startswith("["):
            self._open(line)
            return
        if self.line == self._head and " ".join(line.split()) == HEADER:
            return
        key, colon, value = _key(line)
        if not colon:
            raise _Bad(f"{line!r} is neither `key: value` nor [section]")
        self.line(key, value.strip())

    @property
    def _switch(self) -> Device:
        if self.device is None:
            raise _Bad("a section before the switch has a name", "put `switch: NAME` first")
        return self.device

    def _head(self, key: str, value: str) -> None:
        if key != "switch":
            raise _Bad(f"{key!r} is not known before the first section", "only `switch: NAME` stands there")
        if self.device is not None:
            raise _Bad("the switch is named twice", "one sheet describes one switch")
        self.device = Device(_text(value), self.at, STANDARD)

    def _open(self, line: str) -> None:
        self.line = self._skip  # until the heading is understood
        if not line.endswith("]"):
            raise _Bad(f"{line!r} is not closed by ]")
        word, _, rest = line[1:-1].strip().partition(" ")
        rest = rest.strip()
        switch = self._switch
        if word in ("vlans", "neighbours") and rest:
            raise _Bad(f"nothing may follow {word!r}")
        if word == "vlans":
            switch.vlans = {} if switch.vlans is None else switch.vlans
            self.line = self._vlan
        elif word == "neighbours":
            self.line = self._neighbour
        elif word in ("port", "bundle", "sub"):
            self._open_ports(switch, word, names(rest))
        elif word == "bridge":
            self._open_bridge(switch, _text(rest))
        elif word == "gateway":
            self._open_gateway(switch, rest)
        else:
            raise _Bad(f"[{word}] is not a section", "sections: vlans, port, bundle, sub, bridge, gateway, neighbours")

    def _skip(self, key: str, value: str) -> None:
        raise _Bad("left out, since the section's heading is not understood")

    def _vlan(self, key: str, value: str) -> None:
        table = self._switch.vlans
        assert table is not None
        name, *flags = _split_quoted(value, ";")
        # A row stands for the whole of each VLAN it names: a later row replaces an earlier one.
        for vid in VlanSet.parse(key):
            vlan = Vlan(vid, self.at, name=Fact(_text(name), self.at) if name else None)
            for flag in flags:
                word, _, rest = flag.partition(" of ")
                if word in ("suspended", "active"):
                    vlan.active = Fact(word == "active", self.at)
                elif word in _enum(Private):
                    vlan.private = Fact(Private(word), self.at)
                    if rest and word == Private.PRIMARY:
                        vlan.secondaries = Fact(VlanSet.parse(rest), self.at)
                else:
                    raise _Bad(
                        f"{flag!r} says nothing of a VLAN",
                        "after the name: suspended, active, isolated, community, primary of VIDS",
                    )
            if vid in table:
                self._switch.overridden.append((f"vlan {vid}", "row", table[vid].origin, self.at))
            table[vid] = vlan

    def _neighbour(self, key: str, value: str) -> None:
        place, *about = _split_quoted(value, ";")
        far_device, far_port = _pair(place)
        for port in names(key):
            self.part.neighbours.append(
                Neighbour(
                    self._switch.name, port, far_device, far_port, self.at, _text("; ".join(about)) if about else ""
                )
            )

    def _open_ports(self, switch: Device, word: str, called: list[str]) -> None:
        kind = {"port": PortKind.PHYSICAL, "bundle": PortKind.BUNDLE, "sub": PortKind.SUB}[word]
        ports = []
        for name in called:
            port = switch.ports.setdefault(name, Port(name, self.at, kind))
            if name not in self.opened:  # a bundle may have named it before
                self.opened.add(name)
                port.kind, port.origin = kind, self.at
            if port.kind != kind:
                raise _Bad(f"{name!r} is already a {port.kind}, line {port.origin.line}")
            ports.append(port)

        def line(key: str, value: str) -> None:
            if key == "members" and kind == PortKind.BUNDLE:
                for member in names(value):
                    self._state(switch.ports.setdefault(member, Port(member, self.at)), "bundle", called[0])
                return
            if key == "address":
                for port in ports:
                    port.addresses = _addresses(value, self.at)
                return
            if key not in PORT_KEYS:
                raise _Bad(f"{key!r} is not a key of a port", f"keys: {', '.join(PORT_KEYS)}, address, members")
            attribute, read = PORT_KEYS[key]
            read_value = read(value)
            for port in ports:
                self._state(port, attribute, read_value)

        self.line = line

    def _state(self, port: Port, attribute: str, value: Any) -> None:
        before = getattr(port, attribute)
        if before is not None:
            self._switch.overridden.append((port.name, attribute, before.origin, self.at))
        setattr(port, attribute, Fact(value, self.at))

    def _open_bridge(self, switch: Device, name: str) -> None:
        if not name:
            raise _Bad("the bridge needs a name", "write it as [bridge NAME]")
        bridge = switch.bridges.setdefault(name, Bridge(name, self.at))

        def line(key: str, value: str) -> None:
            if key != "ports":
                raise _Bad(f"{key!r} is not a key of a bridge", "keys: ports")
            for port in names(value):
                taken = next((b.name for b in switch.bridges.values() if port in b.ports and b is not bridge), None)
                if taken is not None:
                    raise _Bad(f"port {port} is already in bridge {taken}")
                bridge.ports[port] = self.at

        self.line = line

    def _open_gateway(self, switch: Device, heading: str) -> None:
        vid, _, bridge = heading.partition(" in ")
        gateway = Gateway(_vid(vid), self.at, _text(bridge.strip()))
        switch.gateways.append(gateway)

        def line(key: str, value: str) -> None:
            if key == "address":
                gateway.addresses = _addresses(value, self.at)
            elif key == "vrf":
                gateway.vrf = Fact(_text(value), self.at)
            elif key == "state":
                gateway.enabled = Fact(_one_of(_ON)(value), self.at)
            else:
                raise _Bad(f"{key!r} is not a key of a gateway", "keys: address, vrf, state")

        self.line = line


def _addresses(text: str, origin: Origin) -> tuple[Fact[Any], ...]:
    found = []
    for word in text.split(","):
        try:
            found.append(Fact(ip_interface(word.strip()), origin))
        except ValueError:
            raise _Bad(f"{word.strip()!r} is not an address with its prefix", "write it as 10.0.0.1/24") from None
    return tuple(found)


_KEY = re.compile(r'((?:"(?:[^"\\]|\\.)*"|[^":])*)(:?)(.*)\Z', re.DOTALL)


def _key(line: str) -> tuple[str, str, str]:
    match = _KEY.match(line)
    assert match is not None
    return " ".join(match[1].split()) if '"' not in match[1] else match[1].strip(), match[2], match[3]


def _split_quoted(text: str, mark: str) -> list[str]:
    parts = re.findall(rf'(?:"(?:[^"\\]|\\.)*"|[^"{mark}]|")+|(?<={mark})(?={mark}|\Z)|\A(?={mark})', text)
    return [part.strip() for part in parts] or [""]


_COMMENT = re.compile(r'"(?:[^"\\]|\\.)*"|(?:^|(?<=\s))#.*', re.DOTALL)


def _without_comment(raw: str) -> str:
    if "#" not in raw:
        return raw.strip()
    return _COMMENT.sub(lambda m: m[0] if m[0].startswith('"') else "", raw).strip()
