"""From the bytes of `plan.yaml` to a `Plan`; errors name line and column, show the line, and say what was expected.

YAML is read by ruamel's round-trip loader: plain maps, lists and scalars with their places, and no objects.
"""

from __future__ import annotations

from difflib import get_close_matches
from ipaddress import ip_address, ip_interface
from typing import Any

from msgspec import Struct, field

from inkov.campus import Host, Origin, Problem

__all__ = ["Plan", "read_plan"]

_LATER = ("segments", "claims", "practice", "ports", "links", "platforms", "accepted")
_VLAN_KEYS = ("name", "segment", "subnet", "needed")
_HOST_KEYS = ("at", "address", "gateway", "vlan")


class Plan(Struct):
    """The intended state. `needed` says on which switches which VIDs must be, whatever serves them: switch -> mask.

    `switches` are the switches it names, with the place; `unused` the parts of the file that are not used yet.
    """

    hosts: list[Host] = field(default_factory=list)
    needed: dict[str, int] = field(default_factory=dict)
    problems: list[Problem] = field(default_factory=list)
    switches: list[tuple[str, Origin]] = field(default_factory=list)
    unused: list[str] = field(default_factory=list)


class _Bad(Exception):
    def __init__(self, place: tuple[int, int], says: str) -> None:
        super().__init__(says)
        self.place = place


def read_plan(file: str, data: bytes) -> Plan:
    """Read a plan. What is wrong becomes a problem, and the rest is read."""
    from ruamel.yaml import YAML
    from ruamel.yaml.error import MarkedYAMLError, YAMLError

    plan = Plan()
    reader = _Reader(file, data.decode("utf-8", "replace").split("\n"), plan)
    try:
        tree = YAML(typ="rt").load(data.decode("utf-8-sig"))
    except UnicodeDecodeError as error:
        reader.problem((data.count(b"\n", 0, error.start), 0), "not UTF-8 here")
        return plan
    except MarkedYAMLError as error:
        mark = error.problem_mark or error.context_mark
        place = (mark.line, mark.column) if mark is not None else (0, 0)
        reader.problem(place, f"not well-formed YAML: {error.problem or error.context}")
        return plan
    except (YAMLError, ValueError, RecursionError) as error:
        reader.problem((0, 0), f"not readable as YAML: {str(error).partition(chr(10))[0]}")
        return plan
    reader.plan_of(tree)
    return plan


class _Reader:
    def __init__(self, file: str, lines: list[str], plan: Plan) -> None:
        self.file = file
        self.lines = lines
        self.plan = plan

    def problem(self, place: tuple[int, int], says: str) -> None:
        line, column = place
        shown = self.lines[line].expandtabs(1) if line < len(self.lines) else ""
        text = f"column {column + 1}: {says}\n  {shown}\n  {' ' * column}^"
        self.plan.problems.append(Problem(Origin(self.file, line + 1), text))

    def plan_of(self, tree: Any) -> None:
        if tree is None:
            return
        if not isinstance(tree, dict):
            self.problem((0, 0), "a plan is a map of parts: vlans, hosts, ...")
            return
        for key, value in tree.items():
            place = tree.lc.key(key)  # type: ignore[attr-defined]
            if key == "vlans":
                self._each(value, place, "a map from VLAN number to what it is", self._vlan)
            elif key == "hosts":
                self._each(value, place, "a map from host name to where it is", self._host)
            elif key in _LATER:
                self.plan.unused.append(str(key))
            else:
                self.problem(place, f"{key!r} is no part of a plan{_nearest(str(key), ('vlans', 'hosts', *_LATER))}")

    def _each(self, tree: Any, place: tuple[int, int], expected: str, read: Any) -> None:
        if not isinstance(tree, dict):
            self.problem(place, f"expected here: {expected}")
            return
        for key, value in tree.items():
            try:
                read(key, value, tree.lc.key(key))  # type: ignore[attr-defined]
            except _Bad as bad:
                self.problem(bad.place, str(bad))

    def _keys(self, value: Any, place: tuple[int, int], known: tuple[str, ...]) -> dict[str, Any]:
        if not isinstance(value, dict):
            raise _Bad(place, f"expected here: a map with {', '.join(known)}")
        for key in value:
            if key not in known:
                raise _Bad(value.lc.key(key), f"{key!r} is not known here{_nearest(str(key), known)}")  # type: ignore[attr-defined]
        return value

    def _vlan(self, vid: Any, value: Any, place: tuple[int, int]) -> None:
        number = _vid(vid, place)
        if value is None or isinstance(value, str):  # `10: climate` is short for its name
            return
        keys = self._keys(value, place, _VLAN_KEYS)
        needed = keys.get("needed", [])
        if not isinstance(needed, list) or not all(isinstance(name, str) for name in needed):
            raise _Bad(value.lc.key("needed"), "expected here: a list of switches, as in [core-1, gate-1]")
        for name in needed:
            self.plan.switches.append((name, Origin(self.file, place[0] + 1)))
            self.plan.needed[name] = self.plan.needed.get(name, 0) | 1 << number

    def _host(self, name: Any, value: Any, place: tuple[int, int]) -> None:
        keys = self._keys(value, place, _HOST_KEYS)
        at = keys.get("at")
        if not isinstance(at, str) or ":" not in at:
            raise _Bad(value.lc.key("at") if "at" in keys else place, "a host needs `at: switch:port`")
        device, _, port = at.partition(":")
        vid = _vid(keys["vlan"], value.lc.value("vlan")) if keys.get("vlan") is not None else None
        try:
            address = ip_interface(keys["address"]) if keys.get("address") is not None else None
            if address is not None and "/" not in str(keys["address"]):
                raise ValueError
        except ValueError:
            raise _Bad(
                value.lc.value("address"), "expected here: an address with its prefix, as in 10.0.0.5/24"
            ) from None
        try:
            gateway = str(ip_address(keys["gateway"])) if keys.get("gateway") is not None else None
        except ValueError:
            raise _Bad(value.lc.value("gateway"), "expected here: an address, as in 10.0.0.1") from None
        origin = Origin(self.file, place[0] + 1)
        self.plan.hosts.append(Host(str(name), device, port, origin, vid, address, gateway))


def _vid(value: Any, place: tuple[int, int]) -> int:
    if isinstance(value, int) and not isinstance(value, bool) and 1 <= value <= 4094:
        return int(value)
    raise _Bad(place, f"{value!r} is not a VLAN number (1 to 4094)")


def _nearest(name: str, known: tuple[str, ...]) -> str:
    close = get_close_matches(name, known, n=2, cutoff=0.5)
    return f"; did you mean {' or '.join(close)}?" if close else f"; known are {', '.join(known)}"
