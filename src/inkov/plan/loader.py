"""From the bytes of `plan.yaml` to a `Plan`; errors name line and column, show the line, and say
what was expected.

YAML is read by ruamel's round-trip loader: plain maps, lists and scalars with their places, and no
objects.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping
from typing import Any, NamedTuple

from msgspec import Struct, field

from inkov.campus import Campus, Device, Host, Origin, Problem
from inkov.levels import Level
from inkov.plan.placed import placed
from inkov.plan.schema import PlanFile
from inkov.plan.typed import Fault, Place, Typed
from inkov.vlanset import VlanSet

__all__ = ["Kind", "Plan", "read_plan", "read_yaml", "vlan_names"]


class Plan(Struct):
    """The intended state: what the file says, and what is wrong with it."""

    says: PlanFile = field(default_factory=PlanFile)
    problems: list[Problem] = field(default_factory=list)

    @property
    def hosts(self) -> list[Host]:
        """The hosts, as the campus knows them."""
        hosts = []
        for name, host in self.says.hosts.items():
            device, _, port = host.at.partition(":")
            gateway = None if host.gateway is None else str(host.gateway)
            hosts.append(Host(name, device, port, host.origin, host.vlan, host.address, gateway))
        return hosts

    @property
    def needed(self) -> dict[str, int]:
        """The VIDs that must be on switches whatever serves them there: switch -> mask."""
        masks: dict[str, int] = {}
        for vid, vlan in self.says.vlans.items():
            for name in vlan.needed:
                masks[name] = masks.get(name, 0) | 1 << vid
        return masks

    def wanted(self, devices: Mapping[str, Device]) -> dict[str, int]:
        """The same with the switches of a campus where VLANs belong (`on`)."""
        masks = self.needed
        for vid, vlan in self.says.vlans.items():
            there = placed(vlan.on or (), devices).everywhere
            # A switch that is not among the files has no ports to carry it to.
            for name in (*there, *(vlan.gateways or ())):
                if name in devices:
                    masks[name] = masks.get(name, 0) | 1 << vid
        return masks

    @property
    def switches(self) -> list[tuple[str, Origin]]:
        """The switches the plan names, and where."""
        switches = [
            (name, vlan.origin)
            for vlan in self.says.vlans.values()
            for name in (*vlan.needed, *(vlan.gateways or ()))
        ]
        switches += [
            (place.partition(":")[0], uplink.origin)
            for near, uplink in self.says.uplinks.items()
            for place in (near, uplink.to)
        ]
        return switches + [(name, self.says.practice.origin) for name in self.says.practice.root]


def vlan_names(plan: Plan, campus: Campus) -> dict[str, VlanSet]:
    """The VLANs that each name in a claim means: segments, names of VLANs in the plan and in the
    configurations.
    """
    masks: dict[str, int] = {}
    # VLANs of one name on different switches are all meant.
    for device in campus.devices.values():
        for vlan in (device.vlans or {}).values():
            if vlan.name is not None and vlan.name.value:
                masks[vlan.name.value] = masks.get(vlan.name.value, 0) | 1 << vlan.vid
    for vid, planned in plan.says.vlans.items():
        if planned.name:
            masks[planned.name] = masks.get(planned.name, 0) | 1 << vid
    names = {name: VlanSet(mask) for name, mask in masks.items()}
    segments = {name: segment.vlans for name, segment in plan.says.segments.items()}
    # A segment may be stated at the VLAN, or as a list: both add up.
    for vid, planned in plan.says.vlans.items():
        if planned.segment:
            segments[planned.segment] = segments.get(planned.segment, VlanSet()) | VlanSet.of(vid)
    return {**names, **segments}


ASIDE = "x-"
"""What a part begins with that is none: a place for anchors."""

_MOST_BYTES = 1024 * 1024
_MOST_NODES = 400_000  # with every alias spelled out
_DEEPEST = 50
_NESTED = re.compile(r"[\[{](?:\s*[\[{]){50}")
_TAG = "tag:yaml.org,2002:"
_KINDS = {"map", "seq", "str", "int", "float", "bool", "null", "timestamp", "merge"}
_AROUND = 70  # characters of a line that are shown on each side of what is wrong


class _Unbounded(Exception):
    """The text is no plan's: `place` is where it is too much, `says` of what."""

    def __init__(self, node: Any, says: str) -> None:
        super().__init__(says)
        self.place = node.start_mark.line, node.start_mark.column


def _tree(text: str, name: str) -> Any:
    """The values of a YAML text. Raises _Unbounded, before anything is built, for one with aliases
    that make it endless or huge, nested deeply, or with keys that are no plain words.
    """
    from ruamel.yaml import YAML

    constructor, _ = YAML(typ="rt").get_constructor_parser(text)
    node = constructor.composer.get_single_node()
    if node is None:
        # An empty file.
        return None
    _measured(node, {}, 0, name)
    return constructor.construct_document(node)


def _measured(node: Any, sizes: dict[int, int], depth: int, name: str) -> int:
    """How many nodes there are at and below one, every alias spelled out. Raises _Unbounded."""
    from ruamel.yaml.nodes import MappingNode, ScalarNode

    if str(node.tag).removeprefix(_TAG) not in _KINDS:
        raise _Unbounded(node, f"there is no {node.tag} in a {name}")
    if isinstance(node, ScalarNode):
        return 1
    known = sizes.get(id(node))
    # An alias is the same node again: its size is known, or still being counted.
    if known is not None:
        if not known:
            # 0 stands for a node that is being measured further up.
            raise _Unbounded(node, "an alias in it leads back to itself")
        return known
    if depth > _DEEPEST:
        raise _Unbounded(node, f"nested too deeply to be a {name}")
    sizes[id(node)] = 0
    total = 1
    inner = node.value
    if isinstance(node, MappingNode):
        # A key that is a map or a list could never be a name of ours.
        for key, _ in node.value:
            if not isinstance(key, ScalarNode):
                raise _Unbounded(key, "expected here: a word as key")
        inner = [value for _, value in node.value]
    for item in inner:
        total += _measured(item, sizes, depth + 1, name)
    if total > _MOST_NODES:
        raise _Unbounded(node, f"its aliases make it too large to be a {name}")
    sizes[id(node)] = total
    return total


def _place_in(text: str, at: int) -> Place:
    """The line and column of a character."""
    return text.count("\n", 0, at), at - text.rfind("\n", 0, at) - 1


def read_plan(file: str, data: bytes) -> Plan:
    """Read a plan. What is wrong becomes a problem, and the rest is read."""
    plan = Plan()
    read = read_yaml(file, data, PlanFile, _PLAN, plan.problems)
    if read is not None:
        plan.says = read.value
        _hosts_have_places(plan.says, read.tree, read.problem)
        _uplinks_have_ends(plan.says, read.tree, read.problem)
        _claims_say_one_thing(plan.says, read.tree, read.problem)
    return plan


class Kind(NamedTuple):
    """What a file is called in messages, of what it is a map, and what to do about one that is too
    large.
    """

    name: str
    parts: str
    cure: str


_PLAN = Kind("plan", "vlans, hosts, ...", "name the plan with --plan")


class ReadYaml(NamedTuple):
    """The value of a file, its tree with places, and how to report what is wrong at one."""

    value: Any
    tree: Any
    problem: Callable[[Place, str], None]


def read_yaml(
    file: str, data: bytes, schema: type[Struct], kind: Kind, problems: list[Problem]
) -> ReadYaml | None:
    """Read a file of a schema. None if nothing of it can be used, or it is empty."""
    from ruamel.yaml.error import MarkedYAMLError, YAMLError

    # Before it is decoded: a file of gigabytes is no plan.
    if len(data) > _MOST_BYTES:
        size, most = len(data) / 1e6, _MOST_BYTES / 1e6
        says = f"too large to be a {kind.name}: {size:.0f} MB, {most:.0f} MB are read at most"
        problems.append(Problem(Origin(file), says, kind.cure, True))
        return None
    lines = data.decode("utf-8", "replace").split("\n")

    def problem(place: Place, says: str) -> None:
        line, column = place
        start = max(0, column - _AROUND)
        shown = lines[line].expandtabs(1) if line < len(lines) else ""
        shown = shown[start : column + _AROUND]
        text = f"column {column + 1}: {says}"
        if shown.strip():
            text += f"\n  {shown}\n  {' ' * (column - start)}^"
        problems.append(Problem(Origin(file, line + 1), text))

    try:
        # Nesting is looked for in the text: the parser itself would go as deep.
        text = data.decode("utf-8-sig")
        deep = _NESTED.search(text)
        if deep is not None:
            says = f"nested too deeply to be a {kind.name}"
            problem(_place_in(text, deep.start()), says)
            return None
        tree = _tree(text, kind.name)
    except _Unbounded as unbounded:
        problem(unbounded.place, str(unbounded))
        return None
    except UnicodeDecodeError as error:
        problem((data.count(b"\n", 0, error.start), 0), "not UTF-8 here")
        return None
    except MarkedYAMLError as error:
        # Some faults have a place of their own, others only one around it.
        mark = error.problem_mark or error.context_mark
        place = (mark.line, mark.column) if mark is not None else (0, 0)
        problem(place, f"not well-formed YAML: {error.problem or error.context}")
        return None
    except RecursionError:
        # Maps within each other, which the text alone does not tell.
        problem((0, 0), f"nested too deeply to be a {kind.name}")
        return None
    except (YAMLError, ValueError) as error:
        # A number that Python refuses to convert is told at its place.
        long = re.search(r"[0-9]{4000}", text)
        if long is not None:
            says = f"a number of thousands of digits is none of a {kind.name}'s"
            problem(_place_in(text, long.start()), says)
            return None
        problem((0, 0), f"not readable as YAML: {str(error).partition(chr(10))[0]}")
        return None
    if tree is None:
        return None
    if not isinstance(tree, dict):
        problem((0, 0), f"a {kind.name} is a map of parts: {kind.parts}")
        return None
    # Parts that begin so are there for anchors, and mean nothing themselves.
    for key in [key for key in tree if str(key).startswith(ASIDE)]:
        del tree[key]
    try:
        typed = Typed(file, lambda fault: problem(fault.place, str(fault)))
        return ReadYaml(typed.read(tree, schema, (0, 0)), tree, problem)
    except Fault as fault:
        problem(fault.place, str(fault))
        return None


def _claims_say_one_thing(says: PlanFile, tree: Any, problem: Any) -> None:
    for claim in list(says.claims):
        # A claim that is wrong is taken out: proved as something else, it would be a lie.
        pair = claim.reach if claim.reach is not None else claim.not_reach
        if not claim.kind:
            wrong = "a claim states exactly one of isolate, join, reach, not-reach, carried-by"
        elif pair is not None and len(pair) != 2:
            wrong = "expected here: two places, as in [till-1, core-1:7]"
        elif (
            claim.carried_by is not None
            and claim.carried_by.on is None
            and claim.carried_by.over is None
        ):
            wrong = "expected here: `on` (switches), `over` (links), or both"
        elif claim.layer == 3 and claim.kind in ("join", "carried-by"):
            wrong = "`layer: 3` belongs to `isolate`, `reach` and `not-reach`"
        elif claim.withstand is not None and claim.kind not in ("join", "reach"):
            wrong = "`withstand` belongs to `join` and `reach`: isolation is proved over all links"
        elif claim.join is not None and claim.level != Level.HONEST:
            wrong = "`join` is about honest hosts: what a hostile one could do is no connection"
        elif claim.kind != "isolate" and (claim.from_ or claim.except_ or claim.one_way):
            wrong = "`from`, `except` and `one-way` belong to `isolate`"
        elif claim.except_ is not None and claim.from_ is None:
            wrong = "`except` leaves members of `from` out, and there is none"
        elif (
            claim.kind == "isolate"
            and claim.from_ is None
            and (len(claim.isolate or ()) < 2 or claim.one_way)
        ):
            wrong = "expected here: two members or more in `isolate`, or a `from`"
        else:
            continue
        problem((claim.origin.line - 1, 0), wrong)
        says.claims.remove(claim)


def _uplinks_have_ends(says: PlanFile, tree: Any, problem: Any) -> None:
    for near, uplink in list(says.uplinks.items()):
        # Without a port, or to itself, it is no cable.
        switches = [place.partition(":")[0] for place in (near, uplink.to)]
        if ":" not in near or ":" not in uplink.to or switches[0] == switches[1]:
            wrong = "an uplink is from a port to one of another switch: `edit-9:1: edit-5:48`"
            problem(_place_of(tree["uplinks"], near, uplink.origin), wrong)
            del says.uplinks[near]


def _hosts_have_places(says: PlanFile, tree: Any, problem: Any) -> None:
    for name, host in list(says.hosts.items()):
        if ":" not in host.at:
            place = _place_of(tree["hosts"], name, host.origin)
            problem(place, "a host needs `at: switch:port`")
            del says.hosts[name]


def _place_of(part: Any, name: str, origin: Origin) -> Place:
    """Where the key of an entry stands. What is a name here may be a number in the tree."""
    # `9: b:5`: the key is a number in the tree and a name in the plan.
    if name in part:
        place: Place = part.lc.key(name)
        return place
    return origin.line - 1, 0
