"""Switch sheets: Inkov's own plain-text configuration format, one readable file per switch.

The grammar is in `docs/formats.md`. A sheet is a list of lines. `[...]` opens a section, `key:
value` states one fact of it, and a later statement replaces an earlier one. What a key means is
looked up in the tables of `words`: for each key the attribute it states and the function from text
to value.
"""

from __future__ import annotations

import re
from collections.abc import Callable
from typing import Any

from inkov.campus import (
    STANDARD,
    Bridge,
    Device,
    Distribution,
    Fact,
    Filter,
    Gateway,
    Neighbour,
    Origin,
    Overridden,
    Port,
    PortKind,
    Private,
    Problem,
    Tree,
    TreeMode,
    TreeRole,
    TreeState,
    Vlan,
)
from inkov.campus.secrets import without_secrets
from inkov.readers.addresses import without_use
from inkov.readers.reading import Ledger, Part, Reading, Unread, as_text
from inkov.readers.sheets.words import (
    DISTRIBUTION_KEYS,
    ON,
    PORT_KEYS,
    YES,
    BadLine,
    as_value,
    bridge_address,
    filter_entry,
    names,
    one_address,
    one_of,
    one_vid,
    place_pair,
    unclear_entry,
    values_of,
    vid_or_none,
    whole_number,
)
from inkov.vlanset import VlanListError, VlanSet

__all__ = ["HEADER", "read", "recognise"]

HEADER = "inkov sheet 1"


_OF_TREE_PORTS: dict[str, tuple[str, Callable[[str], Any]]] = {
    "cost": ("costs", whole_number),
    "external cost": ("external_costs", whole_number),
    "priority": ("priorities", whole_number),
    "role": ("roles", one_of(values_of(TreeRole))),
    "state": ("states", one_of(values_of(TreeState))),
}
"""What `KEY of PORTS` says in a tree -> its attribute, and how its value is read."""


# --- the reader -----------------------------------------------------------------------------------


def recognise(head: bytes) -> bool:
    """True if the first line that is neither empty nor a comment opens a sheet."""
    for line in head.decode("utf-8", "replace").lstrip("\ufeff").splitlines():
        words = line.split("#", 1)[0].split()
        if words:
            return words[:2] == HEADER.split()[:2]
    return False


def read(file: str, data: bytes, *, account: bool = True) -> Reading:
    """Read one sheet.

    A line that does not follow the grammar becomes a problem and is left out; the rest is read.
    """
    return _Sheet(file).read(data)


class _Sheet:
    def __init__(self, file: str) -> None:
        self.file = file
        self.part = Part()
        self.ledger = Ledger()
        self.device: Device | None = None
        self.at = Origin(file=file)
        self.line: Callable[[str, str], None] = self._head
        self.opened: set[str] = set()

    def read(self, data: bytes) -> Reading:
        text, self.part.problems = as_text(self.file, data)
        for number, raw in enumerate(text.split("\n"), 1):
            line = without_comment(raw)
            # Empty lines are nothing; lines that are only a comment are counted.
            if not line:
                self.ledger.passed += bool(raw.strip())
                continue
            self.at = Origin(self.file, number)
            try:
                self._statement(line)
                self.ledger.understood += 1
            except (BadLine, VlanListError) as error:
                # Errors of VLAN lists bring their own mark and need no cure.
                cure = getattr(error, "cure", "")
                self._problem(self.at, str(error), cure)
                self.ledger.unmatched.append(Unread(self.at, line))
        if self.device is None:
            self._problem(
                Origin(self.file, 1),
                "the sheet does not name its switch",
                "add a line `switch: NAME`",
                True,
            )
        else:
            self.part.problems += without_use(self.device)
            self.part.devices.append(self.device)
        return Reading(self.part, self.ledger)

    def _problem(self, origin: Origin, says: str, cure: str = "", lost: bool = False) -> None:
        self.part.problems.append(Problem(origin, says, cure, lost))

    def _statement(self, line: str) -> None:
        if line.startswith("["):
            self._open(line)
            return
        # The first line of the format; anywhere else it is a statement like all others.
        if self.line == self._head and " ".join(line.split()) == HEADER:
            return
        key, colon, value = key_of(line)
        if not colon:
            raise BadLine(f"{without_secrets(line)!r} is neither `key: value` nor [section]")
        self.line(key, value.strip())

    @property
    def _switch(self) -> Device:
        if self.device is None:
            raise BadLine("a section before the switch has a name", "put `switch: NAME` first")
        return self.device

    def _head(self, key: str, value: str) -> None:
        # Before the switch has a name, the message below says what to do.
        if key == "known as" and self.device is not None:
            self.device.known_as = tuple(names(value))
            return
        if key != "switch":
            raise BadLine(
                f"{key!r} is not known before the first section",
                "only `switch: NAME` and `known as: NAMES` stand there",
            )
        if self.device is not None:
            raise BadLine("the switch is named twice", "one sheet describes one switch")
        self.device = Device(as_value(value), self.at, STANDARD)

    def _open(self, line: str) -> None:
        self.line = self._skip  # until the heading is understood
        if not line.endswith("]"):
            raise BadLine(f"{line!r} is not closed by ]")
        word, _, rest = line[1:-1].strip().partition(" ")
        rest = rest.strip()
        switch = self._switch
        if word in ("neighbours", "distribution") and rest:
            raise BadLine(f"nothing may follow {word!r}")
        if word == "vlans":
            self._open_vlans(switch, rest)
        elif word == "tree":
            self._open_tree(switch, rest)
        elif word == "distribution":
            self._open_distribution(switch)
        elif word == "neighbours":
            self.line = self._neighbour
        elif word in ("port", "bundle", "sub"):
            self._open_ports(switch, word, names(rest))
        elif word == "bridge":
            self._open_bridge(switch, as_value(rest))
        elif word == "gateway":
            self._open_gateway(switch, rest)
        elif word == "filter":
            self._open_filter(switch, as_value(rest))
        else:
            raise BadLine(
                f"[{word}] is not a section",
                "sections: vlans, port, bundle, sub, bridge, gateway, filter, tree, distribution,"
                " neighbours",
            )

    def _skip(self, key: str, value: str) -> None:
        raise BadLine("left out, because the section's heading is not understood")

    def _open_vlans(self, switch: Device, heading: str) -> None:
        word, _, name = heading.partition(" ")
        if heading and (word != "in" or not name.strip()):
            raise BadLine(
                f"{heading!r} may not follow 'vlans'", "write [vlans], or [vlans in BRIDGE]"
            )
        holder: Device | Bridge = switch
        if heading:
            holder = switch.bridges.setdefault(
                as_value(name.strip()), Bridge(as_value(name.strip()), self.at)
            )
        table = holder.vlans = {} if holder.vlans is None else holder.vlans
        self.line = lambda key, value: self._vlan(table, key, value)

    def _open_tree(self, switch: Device, heading: str) -> None:
        """`[tree]`, `[tree VIDS]`, both perhaps with `in BRIDGE`."""
        list_of_vids, within, name = f" {heading}".partition(" in ")
        vids = VlanSet.parse(list_of_vids) if list_of_vids.strip() else VlanSet.all()
        holder: Device | Bridge = switch
        if within:
            bridge = as_value(name.strip())
            holder = switch.bridges.setdefault(bridge, Bridge(bridge, self.at))
        opened = Tree(vids, self.at, bridge=holder.name if within else "")
        about: list[Tree] = []  # the tree that the section is about, once that is known

        # A section may begin with the number of its tree: several trees can have the same VLANs.
        def line(key: str, value: str) -> None:
            if self._about_bridge(switch, holder, key, value):
                return
            if not about:
                # The first key that is about a tree decides which one is meant; from then on it
                # stays.
                number = whole_number(value) if key == "number" else None
                about.append(_tree_of(switch, opened, number))
            self._about_tree(about[0], key, value)

        self.line = line

    def _about_bridge(self, switch: Device, holder: Device | Bridge, key: str, value: str) -> bool:
        """What is said of all trees of a bridge; False if it is said of one tree."""
        if key == "mode":
            holder.tree_mode = Fact(one_of(values_of(TreeMode))(value), self.at)
        elif key == "address":
            holder.address = Fact(bridge_address(value), self.at)
        elif key == "region":
            switch.region = Fact(as_value(value), self.at)
        elif key == "revision":
            switch.revision = Fact(whole_number(value), self.at)
        else:
            return False
        return True

    def _about_tree(self, tree: Tree, key: str, value: str) -> None:
        word, _, rest = key.partition(" of ")
        if key == "number":
            tree.number = whole_number(value)
        elif key == "priority":
            tree.priority = Fact(whole_number(value), self.at)
        elif key == "root":
            tree.seen_root = Fact(bridge_address(value), self.at)
        elif word in _OF_TREE_PORTS and rest:
            attribute, read = _OF_TREE_PORTS[word]
            facts: dict[str, Fact[Any]] = getattr(tree, attribute)
            facts.update(dict.fromkeys(names(rest), Fact(read(value), self.at)))
        else:
            raise BadLine(
                f"{key!r} is not a key of a tree",
                "keys: mode, address, region, revision, number, priority, cost of PORTS,"
                " external cost of PORTS, priority of PORTS; and what is seen: root,"
                " role of PORTS, state of PORTS",
            )

    def _open_distribution(self, switch: Device) -> None:
        distribution = switch.distribution = switch.distribution or Distribution(self.at)

        def line(key: str, value: str) -> None:
            if key not in DISTRIBUTION_KEYS:
                raise BadLine(
                    f"{key!r} is not a key of the distribution",
                    f"keys: {', '.join(DISTRIBUTION_KEYS)}",
                )
            attribute, read = DISTRIBUTION_KEYS[key]
            setattr(distribution, attribute, Fact(read(value), self.at))

        self.line = line

    def _vlan(self, table: dict[int, Vlan], key: str, value: str) -> None:
        name, *flags = _split_quoted(value, ";")
        # A row stands for the whole of each VLAN it names: a later row replaces an earlier one.
        for vid in VlanSet.parse(key):
            vlan = Vlan(vid, self.at, name=Fact(as_value(name), self.at) if name else None)
            for flag in flags:
                word, _, rest = flag.partition(" of ")
                if word in ("suspended", "active"):
                    vlan.active = Fact(word == "active", self.at)
                elif word in values_of(Private):
                    vlan.private = Fact(Private(word), self.at)
                    # Only a primary VLAN has others under it.
                    if rest and word == Private.PRIMARY:
                        vlan.secondaries = Fact(VlanSet.parse(rest), self.at)
                else:
                    raise BadLine(
                        f"{flag!r} says nothing of a VLAN",
                        "after the name: suspended, active, isolated, community, primary of VIDS",
                    )
            if vid in table:
                change = Overridden("", "vlan", table[vid].origin, self.at, str(vid), str(vid))
                self._switch.overridden.append(change)
            table[vid] = vlan

    def _neighbour(self, key: str, value: str) -> None:
        place, *rest = _split_quoted(value, ";")
        far_device, far_port = place_pair(place)
        known_as, pvid, vlans = "", None, None
        # Known remarks come first; what follows them is the description of the far port.
        while rest:
            flag = _FLAG.match(rest[0])
            if flag is None:
                break
            if flag[1] == "known as":
                known_as = as_value(flag[2])
            elif flag[1] == "pvid":
                pvid = vid_or_none(flag[2]) or 0
            else:
                vlans = Fact(VlanSet.parse(flag[2]), self.at)
            rest = rest[1:]
        about = as_value("; ".join(rest)) if rest else ""
        for port in names(key):
            near = self._switch.name
            self.part.neighbours.append(
                Neighbour(near, port, far_device, far_port, self.at, about, known_as, pvid, vlans)
            )

    def _open_ports(self, switch: Device, word: str, called: list[str]) -> None:
        kind = {"port": PortKind.PHYSICAL, "bundle": PortKind.BUNDLE, "sub": PortKind.SUB}[word]
        ports = []
        for name in called:
            port = switch.ports.setdefault(name, Port(name, self.at, kind))
            # Named by a bundle alone, it was taken for a port; its own section says what it is.
            if name not in self.opened:  # a bundle may have named it before
                self.opened.add(name)
                port.kind, port.origin = kind, self.at
            if port.kind != kind:
                raise BadLine(f"{name!r} is already a {port.kind}, line {port.origin.line}")
            ports.append(port)

        def line(key: str, value: str) -> None:
            # Members are stated by their bundle, and kept at the members: there each has one
            # bundle.
            if key == "members" and kind == PortKind.BUNDLE:
                for member in names(value):
                    self._state(
                        switch.ports.setdefault(member, Port(member, self.at)), "bundle", called[0]
                    )
                return
            if key == "known as":
                for port in ports:
                    port.known_as = tuple(names(value))
                return
            if key in ("unknown", "reading"):
                for port in ports:
                    setattr(port, key, as_value(value))
                return
            if key == "address":
                for port in ports:
                    port.addresses = _addresses(value, self.at)
                return
            # Filters add up, as several can be bound; every other key replaces what was said
            # before.
            if key in ("filter in", "filter out"):
                side = "filters_in" if key == "filter in" else "filters_out"
                for port in ports:
                    bound = (*getattr(port, side), Fact(as_value(value), self.at))
                    setattr(port, side, bound)
                return
            if key not in PORT_KEYS:
                raise BadLine(
                    f"{key!r} is not a key of a port",
                    f"keys: {', '.join(PORT_KEYS)}, address, filter in, filter out, known as,"
                    " unknown, reading, members",
                )
            attribute, read = PORT_KEYS[key]
            read_value = read(value)
            for port in ports:
                self._state(port, attribute, read_value)

        self.line = line

    def _state(self, port: Port, attribute: str, value: Any) -> None:
        before = getattr(port, attribute)
        # Both lines are kept: a value that is stated twice is often a slip of the pen.
        if before is not None:
            change = Overridden.of(port.name, attribute, before, Fact(value, self.at))
            self._switch.overridden.append(change)
        setattr(port, attribute, Fact(value, self.at))

    def _open_bridge(self, switch: Device, name: str) -> None:
        if not name:
            raise BadLine("the bridge needs a name", "write it as [bridge NAME]")
        bridge = switch.bridges.setdefault(name, Bridge(name, self.at))

        def line(key: str, value: str) -> None:
            if key != "ports":
                raise BadLine(f"{key!r} is not a key of a bridge", "keys: ports")
            for port in names(value):
                taken = next(
                    (
                        b.name
                        for b in switch.bridges.values()
                        if port in b.ports and b is not bridge
                    ),
                    None,
                )
                # A port forwards for one bridge only; to believe both would join them.
                if taken is not None:
                    raise BadLine(f"port {port} is already in bridge {taken}")
                bridge.ports[port] = self.at

        self.line = line

    def _open_gateway(self, switch: Device, heading: str) -> None:
        vid, _, bridge = heading.partition(" in ")
        gateway = Gateway(one_vid(vid), self.at, as_value(bridge.strip()))
        switch.gateways.append(gateway)

        def line(key: str, value: str) -> None:
            if key == "address":
                gateway.addresses = _addresses(value, self.at)
            elif key == "vrf":
                gateway.vrf = Fact(as_value(value), self.at)
            elif key == "state":
                gateway.enabled = Fact(one_of(ON)(value), self.at)
            elif key == "filter in":
                gateway.filters_in = (*gateway.filters_in, Fact(as_value(value), self.at))
            elif key == "filter out":
                gateway.filters_out = (*gateway.filters_out, Fact(as_value(value), self.at))
            elif key == "tagged":
                gateway.tagged = one_of(YES)(value)
            else:
                raise BadLine(
                    f"{key!r} is not a key of a gateway",
                    "keys: address, vrf, state, filter in, filter out, tagged",
                )

        self.line = line

    def _open_filter(self, switch: Device, name: str) -> None:
        if not name or name in switch.filters:
            raise BadLine("the filter needs a name of its own", "write it as [filter NAME]")
        opened = switch.filters[name] = Filter(name, self.at, [])
        numbers: set[int] = set()

        def line(key: str, value: str) -> None:
            try:
                entry = filter_entry(key, value, self.at)
                if entry.number in numbers:
                    raise BadLine(
                        f"entry {entry.number} is there already: which comes first is not known",
                        "give each entry a number of its own",
                    )
                numbers.add(entry.number)
                opened.entries.append(entry)
            except BadLine:
                # An entry that is lost may have let packets pass: said, and allowed for.
                opened.entries.insert(0, unclear_entry(self.at))
                raise
            opened.entries.sort(key=lambda entry: entry.number)

        self.line = line


_FLAG = re.compile(r"(known as|pvid|vlans)\s+(.*)\Z", re.DOTALL)


def _addresses(text: str, origin: Origin) -> tuple[Fact[Any], ...]:
    addresses = []
    for word in text.split(","):
        addresses.append(Fact(one_address(word.strip()), origin))
    return tuple(addresses)


_KEY = re.compile(r'((?:"(?:[^"\\]|\\.)*"|[^":])*)(:?)(.*)\Z', re.DOTALL)


def key_of(line: str) -> tuple[str, str, str]:
    """The key of a statement, its colon if there is one, and the value."""
    match = _KEY.match(line)
    assert match is not None
    return (
        # A key with a name in quotes keeps its spaces: they are part of the name.
        " ".join(match[1].split()) if '"' not in match[1] else match[1].strip(),
        match[2],
        match[3],
    )


def _split_quoted(text: str, mark: str) -> list[str]:
    parts = re.findall(
        rf'(?:"(?:[^"\\]|\\.)*"|[^"{mark}]|")+|(?<={mark})(?={mark}|\Z)|\A(?={mark})', text
    )
    return [part.strip() for part in parts] or [""]


_COMMENT = re.compile(r'"(?:[^"\\]|\\.)*"|(?:^|(?<=\s))#.*', re.DOTALL)


def without_comment(raw: str) -> str:
    """A line without its comment and the spaces around; a mark in quotes begins none."""
    # Most lines have no comment: no need to look for quotes.
    if "#" not in raw:
        return raw.strip()
    return _COMMENT.sub(lambda m: m[0] if m[0].startswith('"') else "", raw).strip()


def _tree_of(switch: Device, opened: Tree, number: int | None) -> Tree:
    """The tree that a section goes on with: one of the same VLANs and, where the section begins
    with it, the same number; or else the one that is opened there.
    """
    for tree in switch.trees:
        same = tree.vlans == opened.vlans and tree.bridge == opened.bridge
        if same and number in (None, tree.number):
            return tree
    switch.trees.append(opened)
    return opened
