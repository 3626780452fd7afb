"""What the statements of a text do to a device, applied in order: later ones win over earlier ones.

`names` looks up VLANs by name, `trees` has what is said of spanning trees.
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
    Vlan,
)
from inkov.readers.addresses import without_use
from inkov.readers.dialects.binding import Bound
from inkov.readers.dialects.effects import VLAN_SETS, Named
from inkov.readers.dialects.file import Dialect
from inkov.readers.dialects.filters import change_filter
from inkov.readers.dialects.inherit import Step, fulfilled, ordered
from inkov.readers.dialects.names import VlanNames, is_name
from inkov.readers.dialects.trees import TreesInText
from inkov.readers.reading import Part, named_after
from inkov.readers.sheets.words import DISTRIBUTION_KEYS, PORT_KEYS
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
        self.opened: set[str] = set()  # bridges that have a head of their own
        self.names = VlanNames(dialect.vlan_table.names)
        self.trees = TreesInText(self.device, self.names)
        self.by_kind: dict[str, Callable[[Step, Bound, Any], None]] = {
            "vlan": self._vlans,
            "gateway": self._gateway,
            "bridge": self._bridge,
            "tree": self.trees.apply,
            "filter": self._filter,
        }

    def apply(self, steps: Iterable[Step]) -> Iterator[tuple[Step, Exception]]:
        """Do what the steps say; those that cannot be done are given back, with the reason."""
        steps = list(steps)
        self.names.learn(steps)
        known = []
        for step in steps:
            try:
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
        """Without trees and bridges that came about by what was said of ports, and was taken back:
        a text may list `no cost` for each port.
        """
        self.trees.drop_empty()
        self.device.bridges = {
            name: bridge
            for name, bridge in self.device.bridges.items()
            if bridge.ports or name in self.opened
        }

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
            (self.names.vids if several else self.names.vid)(bound.value)
        # What follows `on` is looked up too: it may be named.
        for key_of in (
            (bound.keys if bound.on else step.keys) if kind in ("vlan", "gateway") else ()
        ):
            if kind == "gateway":
                self.names.gateway(key_of)
            elif bound.operator != "there" and bound.attribute != "vid":
                # A row may be named before its number is said, further down.
                self.names.numbered(key_of)

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
            self.trees.of_port(step, bound, name)

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
        self.trees.take_back(name)

    def _state(self, step: Step, bound: Bound, port: Port, attribute: str) -> None:
        before: Fact[Any] | None = getattr(port, attribute)
        value = bound.value
        one_less = bound.operator == "-" and attribute not in VLAN_SETS
        # Another VLAN than the one that is taken away: nothing changes.
        if one_less and (before is None or before.value != self.names.vid(value)):
            return  # it is another one
        if bound.operator == "unset" or one_less:
            # What was inherited shows again.
            setattr(port, attribute, self.inherited.get((port.name, attribute)))
            return
        if bound.operator in ("+", "-"):
            # Without anything stated, the list begins with the default.
            base = before or self.dialect.platform.unstated.get(attribute)
            kept = VlanSet() if base is None or base.value is None else base.value
            named = self.names.vids(value)
            value = kept | named if bound.operator == "+" else kept - named
        elif isinstance(value, Named):
            value = self.names.vids(value) if attribute in VLAN_SETS else self.names.vid(value)
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
            self._create(self.names.vids(bound.value), step.origin)
            vlan = (self.device.vlans or {})[bound.value]
            vlan.name = vlan.name or Fact(key.items[0], step.origin)
            return
        # A name alone makes no VLAN: its number may never be said.
        if bound.operator == "there" and is_name(key) and key.items[0] not in self.names:
            return
        vids = self.names.numbered(key)
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
            value = self.names.vids(value)
            # A list of secondaries grows and shrinks, as lists of VLANs at ports do.
            if bound.operator != "=":
                kept = vlan.secondaries.value if vlan.secondaries is not None else VlanSet()
                value = kept | value if bound.operator == "+" else kept - value
        setattr(vlan, attribute, Fact(value, step.origin))

    def _gateway(self, step: Step, bound: Bound, key: Any) -> None:
        vid = self.names.gateway(key)
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
            gateway.vid = self.names.vid(bound.value) or gateway.vid

    def _bridge(self, step: Step, bound: Bound, name: str) -> None:
        if bound.operator == "gone":
            self.device.bridges.pop(name, None)
            self.opened.discard(name)
            return
        bridge = self.device.bridges.setdefault(name, Bridge(name, step.origin))
        if bound.attribute != "ports":
            self.opened.add(name)
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
