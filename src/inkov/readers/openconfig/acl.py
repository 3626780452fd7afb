"""The packet filters of an OpenConfig device (openconfig-acl), and the VLAN interfaces that they
are bound to.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Iterable, Sequence
from ipaddress import ip_network

from msgspec import Struct, field
from msgspec.structs import replace

from inkov.campus import Device, Fact, Filter, FilterEntry, Origin, Problem, Subnet
from inkov.readers.openconfig.lists import either
from inkov.readers.reading import Binding

__all__ = ["Acl", "bind_filters", "read_acl"]

At = Callable[[str], Origin]
Say = Callable[[str, str], None]


class IpConfig(Struct, rename="kebab"):
    source_address: str | None = None
    destination_address: str | None = None
    protocol: int | str | None = None


class Ip(Struct):
    config: IpConfig | None = None
    state: IpConfig | None = None


class ActionConfig(Struct, rename="kebab"):
    forwarding_action: str | None = None


class Action(Struct):
    config: ActionConfig | None = None
    state: ActionConfig | None = None


class EntryConfig(Struct, rename="kebab"):
    sequence_id: int | None = None


class Entry(Struct, rename="kebab"):
    sequence_id: int | None = None
    config: EntryConfig | None = None
    state: EntryConfig | None = None
    ipv4: Ip | None = None
    ipv6: Ip | None = None
    actions: Action | None = None
    transport: dict[str, object] | None = None
    l2: dict[str, object] | None = None


class Entries(Struct, rename="kebab"):
    acl_entry: list[Entry] = []


class Set(Struct, rename="kebab"):
    name: str | None = None
    type: str | None = None
    acl_entries: Entries | None = None


class Sets(Struct, rename="kebab"):
    acl_set: list[Set] = []


class Bound(Struct, rename="kebab"):
    set_name: str | None = None
    type: str | None = None


class Ingress(Struct, rename="kebab"):
    ingress_acl_set: list[Bound] = []


class Egress(Struct, rename="kebab"):
    egress_acl_set: list[Bound] = []


class RefConfig(Struct):
    interface: str | None = None
    subinterface: int | None = None


class Ref(Struct):
    config: RefConfig | None = None


class BoundInterface(Struct, rename="kebab"):
    id: str | None = None
    interface_ref: Ref | None = None
    ingress: Ingress | None = field(default=None, name="ingress-acl-sets")
    egress: Egress | None = field(default=None, name="egress-acl-sets")


class BoundInterfaces(Struct):
    interface: list[BoundInterface] = []


class Acl(Struct, rename="kebab"):
    acl_sets: Sets | None = None
    interfaces: BoundInterfaces | None = None


_ACTIONS = ("ACCEPT", "DROP", "REJECT")  # identities of openconfig-acl
_EVERY: dict[str, Subnet] = {"ACL_IPV4": ip_network("0.0.0.0/0"), "ACL_IPV6": ip_network("::/0")}


def read_acl(device: Device, acl: Acl, at: At, say: Say) -> list[Binding]:
    """Give a device its filters. Returns where they are bound, for `bind_filters`."""
    bindings = []
    for index, stated in enumerate(acl.acl_sets.acl_set if acl.acl_sets else ()):
        path = f"/acl/acl-sets/acl-set/{index}"
        # Sets of two types may have one name.
        name, kind = _called(stated.name, stated.type), (stated.type or "").rpartition(":")[2]
        entries = _entries(
            stated.acl_entries.acl_entry if stated.acl_entries else [],
            *(kind, f"{path}/acl-entries/acl-entry", at, say),
        )
        if name in device.filters:
            say(path, f"the set {name} is there twice: which one counts is not known")
            # Each of both may be what decides: none does so surely.
            both = [*device.filters[name].entries, *entries]
            entries = [replace(entry, finer=True) for entry in both]
        device.filters[name] = Filter(name, at(path), entries)
    for index, bound in enumerate(acl.interfaces.interface if acl.interfaces else ()):
        path = f"/acl/interfaces/interface/{index}"
        ref = bound.interface_ref and bound.interface_ref.config
        name = (ref and ref.interface) or bound.id or ""
        sub = ref.subinterface if ref else None
        pairs = (
            (bound.ingress.ingress_acl_set if bound.ingress else [], "ingress"),
            (bound.egress.egress_acl_set if bound.egress else [], "egress"),
        )
        for sets, way in pairs:
            for number, used in enumerate(sets):
                here = at(f"{path}/{way}-acl-sets/{way}-acl-set/{number}")
                fact = Fact(_called(used.set_name, used.type), here)
                bindings.append(Binding(name, way == "ingress", fact, sub))
    return bindings


def bind_filters(device: Device, bindings: Iterable[Binding]) -> list[Problem]:
    """Bind filters to gateways, routed ports and sub-interfaces, once all files that tell of a
    device are read.
    """
    problems = []
    gateways = {gateway.name: gateway for gateway in device.gateways}
    for binding in bindings:
        fact, name = binding.filter, binding.interface
        sub = device.ports.get(f"{name}.{binding.subinterface}")
        port = sub if sub is not None else device.ports.get(name)
        bound = gateways.get(name) or port
        if bound is None or fact.value not in device.filters:
            what = f"the filter {fact.value}" if bound is not None else f"the interface {name!r}"
            problems.append(
                Problem(fact.origin, f"{what} is not defined here; the binding is left out")
            )
        elif binding.incoming:
            bound.filters_in = (*bound.filters_in, fact)
        else:
            bound.filters_out = (*bound.filters_out, fact)
    return problems


def _called(name: str | None, kind: str | None) -> str:
    return f"{name} ({(kind or '').rpartition(':')[2].removeprefix('ACL_').lower()})"


def _entries(stated: Sequence[Entry], kind: str, path: str, at: At, say: Say) -> list[FilterEntry]:
    """The entries of a set in the order of their numbers. One without a number of its own may come
    before others or behind them: it decides nothing surely.
    """
    counts = Counter(map(_number, stated))
    entries = []
    for index, entry in enumerate(stated):
        read = _entry(entry, kind, f"{path}/{index}", at, say)
        number = _number(entry)
        if len(stated) > 1 and (number is None or counts[number] > 1):
            which = f"{number} is stated twice" if number is not None else "is not stated"
            if entry != Entry():  # an entry left out has its own problem
                says = f"sequence-id {which}: packets that it fits may pass or not"
                say(f"{path}/{index}", says)
            read = replace(read, finer=True)
        entries.append(read)
    return sorted(entries, key=lambda entry: entry.number)


def _entry(entry: Entry, kind: str, path: str, at: At, say: Say) -> FilterEntry:
    """One entry of a set of a kind (`ACL_IPV4`, ...).

    What of it cannot be read makes it finer: it fits some packets, which is not known, so that
    nothing is taken for stopped because of it. An entry of one family of addresses fits no packet
    of the other.
    """
    ip = entry.ipv4 or entry.ipv6
    config = either(ip, path)[0] if ip else None
    source, source_read = _network(
        config.source_address if config else None, f"{path}/source-address", say
    )
    destination, destination_read = _network(
        config.destination_address if config else None, f"{path}/destination-address", say
    )
    action = _action(entry, path, say)
    # An action or a prefix that is not known may mean anything: the entry decides nothing surely.
    whole = action in _ACTIONS and source_read and destination_read
    finer = bool((config and config.protocol is not None) or entry.transport or entry.l2)
    # What the entry itself says counts before what its set is called.
    family = "ACL_IPV4" if entry.ipv4 else "ACL_IPV6" if entry.ipv6 else kind
    every = _EVERY.get(family)
    return FilterEntry(
        _number(entry) or 0,
        action not in ("DROP", "REJECT"),
        source or every,
        destination or every,
        finer or not whole,
        at(path),
    )


def _number(entry: Entry) -> int | None:
    """Its place among the entries: the first number that is stated."""
    numbers = (each.sequence_id for each in (entry, entry.config, entry.state) if each is not None)
    return next((number for number in numbers if number is not None), None)


def _action(entry: Entry, path: str, say: Say) -> str:
    """What is done with a packet; a problem if that is nothing known."""
    actions = either(entry.actions, path)[0] if entry.actions else None
    action = (actions.forwarding_action or "" if actions else "").rpartition(":")[2].upper()
    if action not in _ACTIONS and entry != Entry():  # an entry left out has its own problem
        says = f"the action {action!r} is none of {', '.join(_ACTIONS)}; packets may pass or not"
        say(f"{path}/actions", says)
    return action


def _network(text: str | None, path: str, say: Say) -> tuple[Subnet | None, bool]:
    """The network of a prefix, which may have host bits set, and whether it could be read."""
    try:
        return (None if text is None else ip_network(text, strict=False)), True
    except ValueError:
        say(path, f"{text!r} is not a prefix; it may fit any address")
        return None, False
