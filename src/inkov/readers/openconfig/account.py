"""The account of an OpenConfig file: which of its values were understood, and which were not used.

This walks the whole tree a second time, so it is made only where an answer hangs on what was not
understood.
"""

from __future__ import annotations

import json
import re
from collections import Counter
from collections.abc import Iterable, Iterator
from contextlib import suppress
from itertools import accumulate
from typing import Any

from inkov.campus import Origin
from inkov.readers.reading import Ledger, Unread
from inkov.words import counted

__all__ = ["account_of"]

_UNDERSTOOD = re.compile(
    r"""/(?:
        interfaces/interface/(?:
            name | (?:config|state)/(?:name|type|enabled|description|mtu)
          | ethernet/(?:config|state)/(?:aggregate-id|port-speed)
          | aggregation/(?:config|state)/lag-type
          | (?:ethernet|aggregation)/switched-vlan/(?:config|state)/
            (?:interface-mode|access-vlan|native-vlan|trunk-vlans)
          | routed-vlan/(?:config|state)/vlan
          | (?:routed-vlan|subinterfaces/subinterface)/ipv[46]/addresses/address/
            (?:ip|(?:config|state)/(?:ip|prefix-length))
          | subinterfaces/subinterface/(?:index|(?:config|state)/(?:index|enabled))
          | subinterfaces/subinterface/vlan/
            (?:match/single-tagged/)?(?:config|state)/vlan-id )
      | (?:network-instances/network-instance/)?vlans/vlan/(?:vlan-id
          | (?:config|state)/(?:vlan-id|name|status))
      | network-instances/network-instance/(?:name|(?:config|state)/(?:name|type)
          | interfaces/interface/(?:id|(?:config|state)/.*))
      | lacp/interfaces/interface/(?:name|(?:config|state)/(?:name|lacp-mode))
      | stp/(?:global/(?:config|state)/(?:enabled-protocol|bpdu-guard)
          | mstp/(?:config|state)/(?:name|revision)
          | (?:rstp|mstp/mst-instances/mst-instance|rapid-[a-z]+/vlan)/(?:mst-id|vlan-id
              | (?:config|state)/(?:mst-id|vlan-id|vlan|bridge-priority)
              | state/(?:bridge-address|designated-root-address)
              | interfaces/interface/(?:name|config/.*
                  | state/(?:name|cost|port-priority|port-num|role|port-state)))
          | interfaces/interface/(?:name|(?:config|state)/(?:name|edge-port|guard|bpdu-guard)))
      | acl/acl-sets/acl-set/(?:name|type|(?:config|state)/.*
          | acl-entries/acl-entry/(?:sequence-id|(?:config|state)/.*
          | ipv[46]/(?:config|state)/(?:source-address|destination-address|protocol)
          | transport/.*|l2/.*
          | actions/(?:config|state)/forwarding-action))
      | acl/interfaces/interface/(?:id|(?:config|state)/.*|interface-ref/.*
          | (?:ingress|egress)-acl-sets/.*)
      | system/(?:config|state)/hostname
      | lldp/interfaces/interface/(?:name|(?:config|state)/name
          | neighbors/neighbor/(?:id
              | state/(?:id|system-name|chassis-id|port-id|port-id-type|port-description)))
    )\Z""",
    re.VERBOSE,
)
_VLAN_RELEVANT = re.compile(
    r"/switched-vlan/|/vlans/vlan/(?!members/)|/routed-vlan/(?:config|state)/"
    r"|/vlan/(?:match|ingress-mapping|egress-mapping)/"
    r"|/config/[^/]*vlan[^/]*\Z"  # of modules that are not known here
)
"""The members of a VLAN are a report of what its ports say."""


def account_of(
    file: str, tree: Any, ledger: Ledger, *, lost: Iterable[str] = (), text: bytes = b""
) -> None:
    """Enter every value of a decoded tree into a ledger, those that were not used by subtree.
    `lost` are the pointers of what was left out, for a reason that is told. `text` is the JSON that
    it was decoded from, if it was: of a name that an object has twice a decoder keeps the last
    value.
    """
    ignored: Counter[str] = Counter()
    unmatched: Counter[str] = Counter()
    counts, several, members = _paths(tree)
    # Within a text there may be what looks like a member: then nothing is found there.
    if text and sum(1 for _ in _MEMBER.finditer(text)) > members:
        # Numbers may be longer, and objects deeper, than this decoder takes.
        with suppress(ValueError, RecursionError):
            tree = json.loads(text, object_pairs_hook=_all_members)
            counts, several, _ = _paths(tree)
    gone: Counter[str] = Counter()
    for place, own in _left_out(tree, lost):
        own_used = Counter({path: n for path, n in own.items() if _is_understood(path)})
        gone += own_used
        if own_used:
            number = own_used.total()
            says = f"{place.removeprefix('/data')} ({counted(number, 'value')})"
            ledger.unmatched.append(Unread(Origin(file, pointer=place), says, number, ours=True))
    # Thousands of ports have the same few paths.
    for whole, count in counts.items():
        # An answer of RESTCONF is wrapped.
        pointer = whole.removeprefix("/data")
        if _is_understood(whole):
            ledger.understood += count - gone[whole]
        elif _VLAN_RELEVANT.search(pointer):
            unmatched[pointer] += count
        else:
            ignored[pointer] += count
    ledger.ignored += _listed(file, ignored, {})
    ledger.unmatched += _listed(file, unmatched, _first_of(unmatched, tree) if unmatched else {})
    if several:
        used = _used(counts)
        for path, pointer in _contradicting(tree, several):
            # Of a member that nothing is read from it does not matter.
            if path in used:
                says = f"{path.removeprefix('/data')}: stated twice, which one counts is not known"
                ledger.unmatched.append(Unread(Origin(file, pointer=pointer), says, ours=True))


def _is_understood(path: str) -> bool:
    return _UNDERSTOOD.match(path.removeprefix("/data")) is not None


def _left_out(tree: Any, pointers: Iterable[str]) -> Iterator[tuple[str, Counter[str]]]:
    """What is at some pointers, each value once: the pointer, and how many values of each path."""
    taken: set[str] = set()
    for pointer in sorted(set(pointers)):
        *above, _ = accumulate(pointer.split("/"), "{}/{}".format)
        # Within what was left out as a whole.
        if not taken.isdisjoint(above):
            continue
        node, path = tree, ""
        for name in pointer.split("/")[1:]:
            if isinstance(node, list) and name.isdecimal() and int(name) < len(node):
                node = node[int(name)]
            elif isinstance(node, dict):
                node = next((v for k, v in node.items() if k.rpartition(":")[2] == name), None)
                path += f"/{name}"
            else:
                node = None
        if node is not None:
            taken.add(pointer)
            counts, _, _ = _paths(node)
            yield pointer, Counter({f"{path}{below}": n for below, n in counts.items()})


_MEMBER = re.compile(rb'"\s*:')


def _all_members(members: list[tuple[str, Any]]) -> dict[str, Any]:
    """An object with all that it has under one name, as if it were spelled in several ways."""
    every: dict[str, Any] = {}
    times: Counter[str] = Counter()
    for key, value in members:
        times[key] += 1
        every[f"{times[key]}:{key}" if times[key] > 1 else key] = value
    return every


def _used(paths: Iterable[str]) -> set[str]:
    """Those of some paths that are understood, and all above them."""
    used: set[str] = set()
    for whole in paths:
        path = whole if _is_understood(whole) else ""
        while path and path not in used:
            used.add(path)
            path = path.rpartition("/")[0]
    return used


def _contradicting(tree: Any, several: set[str]) -> Iterator[tuple[str, str]]:
    """The members that an object has twice, spelled with a prefix and without or with two, and with
    two values: each by its path and its place. `several` are the paths that are spelled in more
    than one way.
    """
    stack = [(tree, "", "")]
    while stack:
        node, path, pointer = stack.pop()
        if isinstance(node, dict):
            first: dict[str, Any] = {}
            for key, value in node.items():
                name = key.rpartition(":")[2]
                own = f"{path}/{name}"
                # The same value twice leaves no doubt.
                if own in several and first.setdefault(name, value) != value:
                    yield own, f"{pointer}/{name}"
                stack.append((value, own, f"{pointer}/{name}"))
        elif isinstance(node, list):
            stack += [(value, path, f"{pointer}/{number}") for number, value in enumerate(node)]


def _listed(file: str, counts: Counter[str], places: dict[str, str]) -> list[Unread]:
    return [
        Unread(
            Origin(file, pointer=places.get(path, "")),
            f"{path} ({counted(n, 'value')})",
            n,
            ours=True,
        )
        for path, n in sorted(counts.items())
    ]


def _first_of(paths: Iterable[str], tree: Any) -> dict[str, str]:
    """The place of the first value of each path: with list positions."""
    wanted = set(paths)
    places: dict[str, str] = {}
    stack = [(tree, "", "")]
    while stack:
        node, path, pointer = stack.pop()
        if isinstance(node, dict):
            names = [(key.rpartition(":")[2], value) for key, value in node.items()]
            # The first has to be on top.
            stack += [(one, f"{path}/{n}", f"{pointer}/{n}") for n, one in reversed(names)]
        elif isinstance(node, list):
            numbered = list(enumerate(node))
            stack += [(value, path, f"{pointer}/{number}") for number, value in reversed(numbered)]
        elif (known := path.removeprefix("/data")) in wanted:
            places.setdefault(known, pointer)
    return places


class _Path:
    """A path in the tree without module prefixes and list positions: how many values have it, and
    the paths below, by the keys as the file has them.
    """

    __slots__ = ("below", "name", "names", "values")

    def __init__(self, name: str) -> None:
        self.name = name
        self.values = 0
        self.below: dict[str, _Path] = {}
        self.names: set[str] = set()  # of those below


def _paths(tree: Any) -> tuple[Counter[str], set[str], int]:
    """How many values there are of each path, the paths that are spelled in several ways, and how
    many members all objects have. A path is spelt once, not for each of its values.
    """
    root = _Path("")
    members = 0
    several: set[str] = set()
    every = [root]
    stack = [(tree, root)]
    while stack:
        node, path = stack.pop()
        if isinstance(node, dict):
            members += len(node)
            for key, value in node.items():
                below = path.below.get(key)
                if below is None:
                    # Module prefixes differ between exports, and mean nothing to the tables above.
                    below = _Path(f"{path.name}/{key.rpartition(':')[2]}")
                    if below.name in path.names:
                        several.add(below.name)
                    path.names.add(below.name)
                    path.below[key] = below
                    every.append(below)
                if isinstance(value, dict | list):
                    stack.append((value, below))
                else:
                    below.values += 1
        elif isinstance(node, list):
            stack.extend((value, path) for value in node)
        else:
            path.values += 1
    counts: Counter[str] = Counter()
    for path in every:
        counts[path.name] += path.values
    return +counts, several, members
