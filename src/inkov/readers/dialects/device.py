"""From what the statements of a text do to a device: applied in order: later statements win over
earlier ones.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator
from typing import Any

from inkov.campus import (
    Basis,
    Bridge,
    Device,
    Distribution,
    Fact,
    Gateway,
    Neighbour,
    Origin,
    Overridden,
    Port,
    PortKind,
    Tree,
    Vlan,
)
from inkov.readers.addresses import without_use
from inkov.readers.dialects.binding import Bound
from inkov.readers.dialects.effects import VLAN_SETS, Named, TreeNumber
from inkov.readers.dialects.file import Dialect
from inkov.readers.dialects.filters import change_filter
from inkov.readers.dialects.inherit import Step, fulfilled, ordered
from inkov.readers.reading import Part, named_after
from inkov.readers.sheets.words import DISTRIBUTION_KEYS, PORT_KEYS, BadLine
from inkov.vlanset import VlanSet

__all__ = ["Building"]

_FILTERS = {"filter in": "filters_in", "filter out": "filters_out"}
_PORT_KIND = {"port": PortKind.PHYSICAL, "bundle": PortKind.BUNDLE, "sub": PortKind.SUB}


class Building:
    """A device in the making."""

    def __init__(self, dialect: Dialect, file: str, part: Part) -> None:
        self.dialect = dialect
        self.file = file
        self.part = part
        part.named = False
        self.implied: set[tuple[str, str]] = set()
        self.inherited: dict[tuple[str, str], Fact[Any]] = {}
        self.neighbours: dict[str, Fact[tuple[str, str]]] = {}
        self.device = Device(*named_after(file, "the file states no name"), dialect.platform)
        self.device.table_is_membership = dialect.vlan_table.is_membership
        # VLANs that every such switch has, unless the text takes them away.
        if dialect.always:
            always = Origin(
                dialect.file,
                basis=Basis.DEFAULT,
                says=f"{dialect.name} has it unless stated otherwise",
            )
            self.device.vlans = {vid: Vlan(vid, always) for vid in dialect.always}
        self.trees: dict[VlanSet, Tree] = {}  # by the VLANs that named them first
        self.opened: list[Tree | Bridge] = []  # those that have a head of their own
        self.by_name: dict[str, set[int]] = {}
        self.gateways_by_name: dict[str, Any] = {}
        self.by_kind: dict[str, Callable[[Step, Bound, Any], None]] = {
            "vlan": self._vlans,
            "gateway": self._gateway,
            "bridge": self._bridge,
            "tree": self._tree,
            "filter": self._filter,
        }

    def apply(self, steps: Iterable[Step]) -> Iterator[tuple[Step, Exception]]:
        """Do what the steps say; those that cannot be done are given back, with the reason."""
        steps = list(steps)
        self._name_vlans(steps)
        self._name_gateways(steps)
        known = []
        for step in steps:
            try:
                # A line that names a VLAN nobody knows has no effect at all, not half of one.
                # A line has its whole effect or none: what it names is looked up first.
                for bound in step.bound:
                    self._look_up(step, bound)
                known.append(step)
            except ValueError as error:
                yield step, error
        in_order = ordered(known, self.dialect.specific)
        in_order = fulfilled(in_order, self.dialect.conditions)
        yield from in_order.faults
        yield from self._done(in_order.first)
        # What profiles and statements about all ports gave, before the ports' own lines.
        self._keep_inherited(in_order.first)
        yield from self._done(in_order.then)

    def _done(self, steps: list[Step]) -> Iterator[tuple[Step, Exception]]:
        for step in steps:
            try:
                for bound in step.bound:
                    self._do(step, bound)
            except ValueError as error:
                yield step, error

    def _keep_inherited(self, steps: list[Step]) -> None:
        """What ports have that they do not say themselves: they may replace it without a word, and
        have it again where they take back what they said.
        """
        # What was inherited is no earlier statement: to replace it is no slip.
        self.device.overridden.clear()
        self.implied.clear()
        for name in {key for step in steps for key in step.keys}:
            port = self.device.ports.get(name)
            # A profile may be taken over by a port that is never there.
            for attribute, _ in PORT_KEYS.values() if port is not None else ():
                fact = getattr(port, attribute)
                if fact is not None:
                    self.inherited[name, attribute] = fact
                    self.implied.add((name, attribute))

    def finish(self) -> None:
        """Hand over the device, with the VLANs that came about by being used."""
        device = self.device
        for key in self.dialect.vlan_table.created_by:
            attribute = PORT_KEYS[key][0]
            # A VLAN comes about by being used only where the language says so.
            for port in device.ports.values():
                fact = getattr(port, attribute)
                if fact is not None and fact.value is not None:
                    self._create(
                        VlanSet.of(fact.value) if isinstance(fact.value, int) else fact.value,
                        fact.origin,
                    )
        self._find_primaries()
        self._drop_what_says_nothing()
        self.part.problems += without_use(device)
        self.part.devices.append(device)
        self.part.neighbours += [
            Neighbour(device.name, port, *fact.value, fact.origin)
            for port, fact in self.neighbours.items()
            # Of ports that were taken away again nothing is told.
            if port in device.ports
        ]

    def _drop_what_says_nothing(self) -> None:
        """Without trees and bridges that came about by what was said of ports, and was taken back
        (a text may list `no cost` for each port): a tree that is there is a tree that is run.
        """
        device = self.device
        device.trees = [
            tree
            for tree in device.trees
            if self._is_opened(tree) or tree != Tree(tree.vlans, tree.origin, _number_alone(tree))
        ]
        device.bridges = {
            name: bridge
            for name, bridge in device.bridges.items()
            if bridge.ports or self._is_opened(bridge)
        }

    def _is_opened(self, thing: Tree | Bridge) -> bool:
        return any(one is thing for one in self.opened)

    def _find_primaries(self) -> None:
        """The primary VLAN of hosts of which only the secondary is said: the VLAN table has it."""
        table = (self.device.vlans or {}).values()
        of_secondary: dict[int, list[tuple[int, Origin]]] = {}
        for vlan in table:
            below = vlan.secondaries
            for vid in below.value if below is not None else ():
                assert below is not None
                of_secondary.setdefault(vid, []).append((vlan.vid, below.origin))
        for port in self.device.ports.values() if of_secondary else ():
            if port.secondary is not None and port.primary is None:
                known = of_secondary.get(port.secondary.value or 0, [])
                # Two primaries claim the host's VLAN: which one is meant is not said.
                if len(known) == 1:
                    port.primary = Fact(*known[0])

    def _create(self, vids: VlanSet, origin: Origin) -> None:
        table = self.device.vlans = {} if self.device.vlans is None else self.device.vlans
        for vid in vids:
            if vid not in table:
                table[vid] = Vlan(vid, origin)

    # --- VLANs by name ---

    def _name_vlans(self, steps: list[Step]) -> None:
        """Which name is which number, from everywhere in the file: a name may be used before it is
        said.
        """
        names: dict[int, str] = {}  # the last one said counts
        for step in steps:
            for bound in step.bound:
                # Only what states a name or a number of a VLAN counts here.
                if (bound.on or step.kind) != "vlan" or bound.operator != "=":
                    continue
                for key in bound.keys if bound.on else step.keys:
                    # Names that are numbers are numbers.
                    numbered = isinstance(key, Named) and key.items[0].isdigit()
                    if (
                        bound.attribute == "vid"
                        and isinstance(key, Named)
                        and isinstance(bound.value, int)
                    ):
                        names[bound.value] = key.items[0]
                    elif bound.attribute == "name" and (numbered or isinstance(key, VlanSet)):
                        names |= dict.fromkeys(self._vids(key), bound.value)
        for name, vid in self.dialect.vlan_table.names.items():
            self.by_name.setdefault(name, set()).add(vid)
        # A VLAN that is renamed has its last name only.
        for vid, name in names.items():
            self.by_name.setdefault(name, set()).add(vid)

    def _name_gateways(self, steps: list[Step]) -> None:
        """Of gateways that have names of their own the VLANs, which are said in their blocks."""
        for step in steps:
            for bound in step.bound:
                if (bound.on or step.kind) != "gateway" or bound.attribute != "vid":
                    continue
                # The last one said counts.
                for key in bound.keys if bound.on else step.keys:
                    if isinstance(key, Named) and not key.items[0].isdigit() and bound.value:
                        self.gateways_by_name[key.items[0]] = bound.value

    def _vid_of_gateway(self, key: Any) -> int | None:
        """The VLAN that a gateway is in: what its block says, else what the head names."""
        own = self.gateways_by_name.get(key.items[0]) if isinstance(key, Named) else None
        return self._vid(own if own is not None else key)

    def _vids(self, value: Any) -> VlanSet:
        """The VLANs that a value names, looking up names. BadLine for a name that no VLAN here has,
        or several.
        """
        if isinstance(value, VlanSet):
            return value
        # Most values are numbers already.
        if isinstance(value, int):
            return VlanSet.of(value)
        items = value.items
        but = items[:1] == ("but",) and len(items) > 1
        vids = VlanSet()
        # "All but", as the effect has it.
        for item in items[1:] if but else items:
            named = self.by_name.get(item, set())
            if len(named) == 1:
                vids |= VlanSet.from_vids(named)
            elif len(named) > 1:
                listed = ", ".join(map(str, sorted(named)))
                raise BadLine(
                    f"{item!r} is the name of several VLANs here: {listed}",
                    "name the VLAN by its number",
                )
            else:
                # Not the name of any: a number, or nothing that is known here.
                vids |= self._number(item)
        return ~vids if but else vids

    @staticmethod
    def _number(item: str) -> VlanSet:
        if not item[:1].isdigit():
            raise BadLine(f"no VLAN here is called {item!r}", "define it, or correct the name")
        return VlanSet.parse(item)

    def _vid(self, value: Any) -> int | None:
        if value is None or isinstance(value, int):
            return value
        vids = self._vids(value)
        if len(vids) != 1:
            raise BadLine("one VLAN is expected here")
        return next(iter(vids))

    def _look_up(self, step: Step, bound: Bound) -> None:
        """See that every VLAN a clause names is known. BadLine or VlanListError for one that is
        not.
        """
        kind = bound.on or step.kind
        if isinstance(bound.value, Named):
            key = PORT_KEYS.get(bound.attribute)
            several = bound.attribute in ("secondaries", "vlans") or (
                key is not None and key[0] in VLAN_SETS
            )
            (self._vids if several else self._vid)(bound.value)
        # What follows `on` is looked up too: it may be named.
        for key_of in (
            (bound.keys if bound.on else step.keys) if kind in ("vlan", "gateway") else ()
        ):
            if kind == "gateway":
                self._vid_of_gateway(key_of)
            elif bound.operator != "there" and bound.attribute != "vid":
                # A row may be named before its number is said, further down.
                self._numbered(key_of)

    def _numbered(self, key: Any) -> VlanSet:
        """The VLANs that a head names. BadLine for a name whose number is never said."""
        named = isinstance(key, Named) and not key.items[0].isdigit()
        if named and key.items[0] not in self.by_name:
            raise BadLine(
                f"the VLAN {key.items[0]!r} has no number", "state its number in the block"
            )
        return self._vids(key)

    # --- clauses ---

    def _do(self, step: Step, bound: Bound) -> None:
        kind = bound.on or step.kind
        keys = bound.keys if bound.on else step.keys
        if kind in _PORT_KIND:
            for key in keys:
                self._port(step, bound, kind, key)
        elif kind in self.by_kind:
            for key in keys:
                self.by_kind[kind](step, bound, key)
        else:
            self._device(step, bound)

    def _port(self, step: Step, bound: Bound, kind: str, name: str) -> None:
        device = self.device
        if bound.operator == "gone":
            device.ports.pop(name, None)
            return
        port = device.ports.get(name)
        # Ports come about by being named, in whichever line that is.
        if port is None:
            port = device.ports[name] = Port(name, step.origin, _PORT_KIND[kind])
        elif kind != "port" and port.kind is PortKind.PHYSICAL:  # a member named it before
            port.kind = _PORT_KIND[kind]
        attribute = bound.attribute
        if bound.operator == "bare":
            self._take_back(port)
        elif bound.plain:
            # Most clauses: nothing has to be looked up.
            self._set(step, port, bound.plain, bound.value, bound.constant)
        elif attribute in PORT_KEYS:
            self._state(step, bound, port, PORT_KEYS[attribute][0])
        elif attribute == "address":
            _change_addresses(port, step, bound)
        elif attribute in _FILTERS:
            _change_filters(port, step, bound)
        elif attribute == "neighbour":
            # A port has one neighbour by such statements: the last one said.
            self.neighbours.pop(name, None)
            if bound.operator != "unset":
                self.neighbours[name] = Fact(bound.value, step.origin)
        elif attribute == "bundle":
            port.bundle = None if bound.operator == "unset" else Fact(bound.value, step.origin)
        elif attribute == "bridge":
            # A port is in one bridge only.
            for bridge in device.bridges.values():
                bridge.ports.pop(name, None)
            if bound.operator != "unset":
                device.bridges.setdefault(bound.value, Bridge(bound.value, step.origin)).ports[
                    name
                ] = step.origin
        elif attribute:
            # Of a port, and not of one tree: it is said of the common one.
            common = self._tree_of(VlanSet.all(), step.origin)
            facts: dict[str, Fact[Any]] = getattr(common, _OF_PORTS[attribute])
            facts.pop(name, None)
            if bound.operator != "unset":
                facts[name] = Fact(bound.value, step.origin)

    def _take_back(self, port: Port) -> None:
        """Take back all that was said of a port: it has what it takes over, and the defaults."""
        name = port.name
        bare = self.device.ports[name] = Port(name, port.origin, port.kind)
        # What it takes over stays its own.
        for attribute, _ in PORT_KEYS.values():
            setattr(bare, attribute, self.inherited.get((name, attribute)))
            self.implied.add((name, attribute))
        self.neighbours.pop(name, None)
        for bridge in self.device.bridges.values():
            bridge.ports.pop(name, None)
        for tree in self.device.trees:
            for facts in (
                tree.costs,
                tree.external_costs,
                tree.priorities,
                tree.roles,
                tree.states,
            ):
                facts.pop(name, None)

    def _state(self, step: Step, bound: Bound, port: Port, attribute: str) -> None:
        before: Fact[Any] | None = getattr(port, attribute)
        value = bound.value
        one_less = bound.operator == "-" and attribute not in VLAN_SETS
        # Another VLAN than the one that is taken away: nothing changes.
        if one_less and (before is None or before.value != self._vid(value)):
            return  # it is another one
        if bound.operator == "unset" or one_less:
            # What was inherited shows again.
            setattr(port, attribute, self.inherited.get((port.name, attribute)))
            return
        if bound.operator in ("+", "-"):
            # Without anything stated, the list begins with the default.
            base = before or self.dialect.platform.unstated.get(attribute)
            kept = VlanSet() if base is None or base.value is None else base.value
            value = kept | self._vids(value) if bound.operator == "+" else kept - self._vids(value)
        elif isinstance(value, Named):
            value = self._vids(value) if attribute in VLAN_SETS else self._vid(value)
        if bound.operator == "=":
            self._set(step, port, attribute, value, bound.constant)
            return
        setattr(port, attribute, Fact(value, step.origin))

    def _set(self, step: Step, port: Port, attribute: str, value: Any, constant: bool) -> None:
        """Set an attribute, and note what that replaces, if the text says it.

        What a line brings along besides what it names (the dialect's constant, next to a capture)
        is replaced without a word: nobody wrote it.
        """
        before = getattr(port, attribute)
        # Two lines that say different things of one port: often a slip, so it is told.
        if before is not None and (port.name, attribute) not in self.implied:
            change = Overridden.of(port.name, attribute, before, Fact(value, step.origin))
            self.device.overridden.append(change)
        if constant and not all(bound.constant for bound in step.bound):
            self.implied.add((port.name, attribute))
        else:
            self.implied.discard((port.name, attribute))
        setattr(port, attribute, Fact(value, step.origin))

    def _vlans(self, step: Step, bound: Bound, key: Any) -> None:
        # The name comes first in such languages, and the number is stated in the block.
        if bound.attribute == "vid" and isinstance(key, Named):
            self._create(self._vids(bound.value), step.origin)
            vlan = (self.device.vlans or {})[bound.value]
            vlan.name = vlan.name or Fact(key.items[0], step.origin)
            return
        if bound.operator == "there" and isinstance(key, Named):
            known = key.items[0] in self.by_name or key.items[0].isdigit()
            # A name alone makes no VLAN: there is nothing to carry.
            if not known:  # its number may never be said
                return
        vids = self._numbered(key)
        if bound.operator == "gone":
            for vid in vids:
                (self.device.vlans or {}).pop(vid, None)
            return
        self._create(vids, step.origin)
        table = self.device.vlans or {}
        for vid in vids:
            vlan = table[vid]
            # A VLAN that is always there and is stated as well has the line that states it.
            if vlan.origin.basis is Basis.DEFAULT:
                vlan.origin = step.origin
            self._of_vlan(step, bound, vlan)

    def _of_vlan(self, step: Step, bound: Bound, vlan: Vlan) -> None:
        attribute = {
            "name": "name",
            "state": "active",
            "private": "private",
            "secondaries": "secondaries",
        }.get(bound.attribute)
        if attribute is None:
            return
        value = bound.value
        if bound.operator == "unset":
            setattr(vlan, attribute, None)
            return
        if attribute == "secondaries":
            value = self._vids(value)
            # A list of secondaries grows and shrinks, as lists of VLANs at ports do.
            if bound.operator != "=":
                kept = vlan.secondaries.value if vlan.secondaries is not None else VlanSet()
                value = kept | value if bound.operator == "+" else kept - value
        setattr(vlan, attribute, Fact(value, step.origin))

    def _gateway(self, step: Step, bound: Bound, key: Any) -> None:
        vid = self._vid_of_gateway(key)
        gateways = self.device.gateways
        # The first statement about a gateway makes it.
        gateway = next((g for g in gateways if g.vid == vid), None)
        if bound.operator == "gone":
            if gateway is not None:
                gateways.remove(gateway)
            return
        if gateway is None:
            gateway = Gateway(vid or 0, step.origin)
            gateways.append(gateway)
        unset = bound.operator == "unset"
        if bound.attribute == "address":
            _change_addresses(gateway, step, bound)
        elif bound.attribute == "vrf":
            gateway.vrf = None if unset else Fact(bound.value, step.origin)
        elif bound.attribute == "state":
            gateway.enabled = None if unset else Fact(bound.value, step.origin)
        elif bound.attribute in _FILTERS:
            _change_filters(gateway, step, bound)
        elif bound.attribute == "bridge":
            gateway.bridge = "" if unset else bound.value
        elif bound.attribute == "vid":
            # Named by the number of another VLAN: what is said in the block counts.
            gateway.vid = self._vid(bound.value) or gateway.vid

    def _bridge(self, step: Step, bound: Bound, name: str) -> None:
        if bound.operator == "gone":
            self.device.bridges.pop(name, None)
            return
        bridge = self.device.bridges.setdefault(name, Bridge(name, step.origin))
        if bound.attribute != "ports":
            self.opened.append(bridge)
            return
        named = (bound.value,) if isinstance(bound.value, str) else bound.value or ()
        # Stated anew as a whole, or taken back.
        if bound.operator in ("=", "unset"):
            bridge.ports.clear()
        for port in named:
            if bound.operator == "-":
                bridge.ports.pop(port, None)
            else:
                # The last bridge that names a port has it.
                for other in self.device.bridges.values():
                    other.ports.pop(port, None)
                bridge.ports[port] = step.origin
                self.device.ports.setdefault(port, Port(port, step.origin))

    # --- the device ---

    def _tree_of(self, key: VlanSet | TreeNumber, origin: Origin) -> Tree:
        """The tree of some VLANs, or with a number; a new one if there is none."""
        trees = self.device.trees
        new = Tree(VlanSet.all(), origin)
        if isinstance(key, VlanSet):
            new.vlans = key
            # It keeps the name that it was opened by, whatever VLANs it gets then.
            known = self.trees.get(key) or next((t for t in trees if t.vlans == key), None)
        elif key.number == 0:
            known = next((tree for tree in trees if tree.vlans == new.vlans), None)
        else:
            new.vlans, new.number = VlanSet(), key.number
            known = next((tree for tree in trees if tree.number == key.number), None)
        # The first that is said of it.
        if known is None:
            trees.append(new)
        tree = known or new
        if isinstance(key, VlanSet):
            self.trees[key] = tree
        return tree

    def _tree_vlans(self, tree: Tree, bound: Bound) -> None:
        """Give VLANs to a tree, or take them from it. The standard maps each VLAN to one tree: of
        those with a number the last one that gets it has it.
        """
        own = VlanSet() if bound.operator == "unset" else self._vids(bound.value)
        if bound.operator == "-":
            tree.vlans -= own
            return
        tree.vlans = tree.vlans | own if bound.operator == "+" else own
        for other in self.device.trees if tree.number else ():
            if other is not tree and other.number:
                other.vlans -= own

    def _tree(self, step: Step, bound: Bound, key: VlanSet | TreeNumber) -> None:
        tree = self._tree_of(key, step.origin)
        if bound.operator == "there":
            self.opened.append(tree)
        elif bound.operator == "gone":
            self.device.trees = [other for other in self.device.trees if other is not tree]
            self.trees = {name: other for name, other in self.trees.items() if other is not tree}
        elif bound.attribute == "priority":
            tree.priority = None if bound.operator == "unset" else Fact(bound.value, step.origin)
        elif bound.attribute == "number":
            tree.number = bound.value or 0
        elif bound.attribute == "vlans":
            self._tree_vlans(tree, bound)
        elif bound.attribute == "seen root":
            tree.seen_root = None if bound.operator == "unset" else Fact(bound.value, step.origin)
        elif bound.attribute in _OF_TREE_PORTS:
            facts: dict[str, Fact[Any]] = getattr(tree, _OF_TREE_PORTS[bound.attribute])
            if bound.operator == "unset":
                facts.clear()
            else:
                ports, value = bound.value
                facts |= {port: Fact(value, step.origin) for port in ports}

    def _filter(self, step: Step, bound: Bound, name: str) -> None:
        change_filter(self.device, step, bound, name)

    def _device(self, step: Step, bound: Bound) -> None:
        device = self.device
        unset = bound.operator == "unset"
        # Without a name the device keeps the one of its file.
        if bound.attribute == "name" and not unset:
            device.name, device.origin, self.part.named = bound.value, step.origin, True
        elif bound.attribute == "tree mode":
            device.tree_mode = None if unset else Fact(bound.value, step.origin)
        elif bound.attribute in _OF_TREES:
            fact = None if unset else Fact(bound.value, step.origin)
            setattr(device, _OF_TREES[bound.attribute], fact)
        elif bound.attribute in DISTRIBUTION_KEYS:
            device.distribution = device.distribution or Distribution(step.origin)
            fact = None if unset else Fact(bound.value, step.origin)
            setattr(device.distribution, DISTRIBUTION_KEYS[bound.attribute][0], fact)


def _number_alone(tree: Tree) -> int:
    """The number of a tree without VLANs: it says no more than the name of one."""
    return 0 if tree.vlans else tree.number


_OF_PORTS = {
    "tree cost": "costs",
    "tree external cost": "external_costs",
    "tree priority": "priorities",
    "tree role": "roles",
    "tree state": "states",
}
"""What is said of a port in the common tree -> the attribute of trees that holds it."""

_OF_TREE_PORTS = {"cost": "costs", "seen role": "roles", "seen state": "states"}
"""What is said of ports in a tree -> the same."""

_OF_TREES = {"tree address": "address", "tree region": "region", "tree revision": "revision"}
"""What is said of all trees of a device -> the attribute that holds it."""


def _change_filters(holder: Port | Gateway, step: Step, bound: Bound) -> None:
    """Bind filters to an interface, by name, or take them off it."""
    side = _FILTERS[bound.attribute]
    setattr(holder, side, _changed(getattr(holder, side), step, bound))


def _change_addresses(holder: Port | Gateway, step: Step, bound: Bound) -> None:
    holder.addresses = _changed(holder.addresses, step, bound)


def _changed(kept: tuple[Fact[Any], ...], step: Step, bound: Bound) -> tuple[Fact[Any], ...]:
    """Facts with one more, one less, or another one instead of all."""
    # Another one instead of all, or none.
    if bound.operator in ("=", "unset"):
        kept = ()
    elif bound.operator == "-":
        kept = tuple(fact for fact in kept if fact.value != bound.value)
    if bound.operator in ("=", "+"):
        kept = (*kept, Fact(bound.value, step.origin))
    return kept
