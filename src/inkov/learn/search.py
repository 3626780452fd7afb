"""What the statements do: the effects that agree with all the evidence, by reading the texts.

Theory of operation. A hypothesis gives each pattern an effect, and the platform its defaults; it is
written as a dialect, the texts are read by it, and each port is held against the other source: is
it on, what does it send untagged, what tagged, in what VLAN do untagged frames arrive. That is its
error. The search begins with statements that do nothing, and takes whichever single change lowers
the error most, until none does. Simple effects come first, so of several that agree alike the
simplest is taken; the others are kept as alternatives.

The search can stop at a hypothesis that a change of two things at once would better. Then ports are
left that do not agree, and these are told: what was learnt is never taken to be more than it is.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Sequence
from itertools import combinations, product
from typing import NamedTuple

from msgspec import Struct, field

from inkov.campus import Campus, Device
from inkov.forwarding import resolve
from inkov.learn.look import Look, Pattern
from inkov.readers.dialects import Dialect, read_text
from inkov.readers.dialects.lists import Lists
from inkov.readers.sheets.words import BadLine
from inkov.wiring import End, Wiring
from inkov.wiring.names import NameFinder

__all__ = [
    "DEFAULTS",
    "Hypothesis",
    "Learnt",
    "View",
    "bare",
    "candidates",
    "learn_effects",
    "views",
]

_PLAIN = ("state = off", "state = on", "mode = trunk", "native = none", "allowed = all")
_WITH_VLANS = (
    "mode = access; vlan = {V}",
    "vlan = {V}",
    "mode = trunk; allowed = {V}",
    "allowed = {V}",
    "native = {V}",
    "mode = trunk; allowed + {V}",
    "allowed + {V}",
    "allowed - {V}",
    "mode = trunk; native = {V}",
    "voice = {V}",
    "mode = general; tagged + {V}",
    "mode = general; untagged + {V}; pvid = {V}",
    "mode = general; untagged + {V}",
    "pvid = {V}",
)
_MEMBERS = "mode = general; tagged + {V}"
_TELLING = ("state = off", "mode = trunk")  # effects that change what a port passes, by themselves
_OF_ONE = ("vlan", "native", "voice", "pvid")  # attributes that are one VLAN
_NOTHING_SAID = {
    "pvid": "none",
    "untagged": "none",
}  # of a port that is in VLANs only by their lists
DEFAULTS: tuple[dict[str, str], ...] = (
    {"mode": "access", "vlan": "1", "native": "none", "allowed": "none", **_NOTHING_SAID},
    {"mode": "access", "vlan": "1", "native": "1", "allowed": "none", **_NOTHING_SAID},
    {"mode": "access", "vlan": "1", "native": "1", "allowed": "all", **_NOTHING_SAID},
    {"mode": "access", "vlan": "1", "native": "none", "allowed": "all", **_NOTHING_SAID},
    {"mode": "access", "vlan": "1", "native": "1", "allowed": "all"},
    {"mode": "general", "vlan": "1", "native": "none", "allowed": "none", **_NOTHING_SAID},
    {"mode": "trunk", "vlan": "1", "native": "none", "allowed": "none", **_NOTHING_SAID},
    {"mode": "trunk", "vlan": "1", "native": "1", "allowed": "all", **_NOTHING_SAID},
    {"mode": "access", "vlan": "1", "native": "1", "allowed": "all", "state": "off"},
    {"mode": "access", "vlan": "1", "native": "none", "allowed": "none", "state": "off"},
)
"""What a port may be where nothing is said, the likeliest first."""
_MOST_STEPS = 40
_MOST_PATTERNS = 120  # whose effects are looked for, the most frequent ones
_MOST_TRIED = 1_500  # hypotheses
_MOST_PLAINER = 3  # patterns of general ports for which others are tried
_MOST_PAIRED = 6  # patterns of which two at once are tried
_NOTHING = 1e-9  # an error that is none


class View(NamedTuple):
    """What a port does with nobody at it: is it on, and what it sends and takes, as masks."""

    on: bool
    untagged: int
    tagged: int
    arrives: int


class Hypothesis(Struct):
    """Effects by pattern (by its place in `Look.patterns`), and the defaults, by their place."""

    effects: dict[int, str] = field(default_factory=dict)
    defaults: int = 0


class Learnt(Struct):
    """The best hypothesis, the error that is left, the ports that do not agree, the other effects
    of each pattern that agree as well; and the patterns without an effect of which the evidence
    does not say that they have none. `fitting` are defaults that agree as well, one of each kind:
    if they are several, the evidence does not say what a port is of which nothing is said.
    """

    hypothesis: Hypothesis
    error: float
    wrong: list[tuple[int, str]]
    alternatives: dict[int, list[str]]
    unsure: set[int]
    fitting: list[int] = field(default_factory=list)


def views(device: Device) -> dict[str, View]:
    """What each port of a device does by itself."""
    fabric = resolve(Campus({device.name: device}), Wiring())
    found = {}
    for name in device.ports:
        port = fabric.ports[End(device.name, name)]
        view = port.view
        on = port.up
        masks = (view.untagged, view.emit & ~view.untagged, view.pvid) if on else (0, 0, 0)
        found[name] = View(on, *masks)
    return found


def candidates(pattern: Pattern) -> list[str]:
    """The effects that a statement may have on ports, the simplest first; none where no port is in
    reach.
    """
    kinds = [slot.kind for one in pattern.path for slot in one.slots]
    if "ports" not in kinds or pattern.opens:
        return []
    if "vlans" not in kinds:
        own = [slot.kind for slot in pattern.slots if slot.kind != "ports"]
        return [] if own or '"' in pattern.tokens or "@" in pattern.tokens else list(_PLAIN)
    single = all(slot.single for one in pattern.path for slot in one.slots if slot.kind == "vlans")
    found = [effect for effect in _WITH_VLANS if single or not _is_of_one(effect)]
    if is_membership(pattern):
        found.sort(key=lambda effect: "general" not in effect)
    return found


def is_membership(pattern: Pattern) -> bool:
    """Whether a statement lists the ports of a VLAN: whoever says so means members, and a port may
    be one of several VLANs, tagged in some and untagged in another.
    """
    kinds = [slot.kind for one in pattern.path for slot in one.slots]
    return "ports" in kinds and "vlans" in kinds[: kinds.index("ports")]


def _is_of_one(effect: str) -> bool:
    return any(f"{name} = {{V}}" in effect for name in _OF_ONE)


class _Evidence:
    """The texts, and what the ports of their switches do by the other source."""

    def __init__(self, texts: Sequence[bytes], devices: Sequence[Device], lists: Lists) -> None:
        self.texts = texts
        self.lists = lists
        self.finders: dict[int, NameFinder] = {}
        self.true = [views(device) for device in devices]
        self.names: dict[tuple[int, tuple[str, ...]], dict[str, str]] = {}

    def errors(self, dialect: Dialect) -> Iterator[tuple[int, str, float]]:
        """For each port of the other source (by switch and name) how wrong it is read."""
        for switch, text in enumerate(self.texts):
            [device] = read_text(dialect, "text", text).part.devices
            read = views(device)
            called = self._called(switch, tuple(device.ports))
            for name, true in self.true[switch].items():
                own = read.get(called.get(name, ""))
                yield switch, name, _error(own, true)

    def touches(self, pattern: Pattern, ports: set[tuple[int, str]]) -> bool:
        """Whether a statement is about any of some ports, as far as its lists tell."""
        for row in pattern.rows:
            finder = self.finder(row.switch)
            for words in row.ports():
                try:
                    named = [finder.find(port) for port in self.lists.ports(words)]
                except BadLine:
                    continue
                if any((row.switch, name) in ports for name in named):
                    return True
        return False

    def finder(self, switch: int) -> NameFinder:
        if switch not in self.finders:
            self.finders[switch] = NameFinder(self.true[switch])
        return self.finders[switch]

    def _called(self, switch: int, ports: tuple[str, ...]) -> dict[str, str]:
        """For each port of the other source its name in the text."""
        key = switch, ports
        if key not in self.names:
            finder = self.finder(switch)
            found = ((finder.find(port), port) for port in ports)
            self.names[key] = {name: port for name, port in found if name is not None}
        return self.names[key]


def _error(own: View | None, true: View) -> float:
    """How much a port differs from what it does: 0 for not at all. A list that is nearly right is
    better than one that is all wrong.
    """
    if own is None:
        return 4.0 if true.on and (true.untagged or true.tagged) else 0.0
    if not own.on and not true.on:
        return 0.0
    tagged = (own.tagged ^ true.tagged).bit_count() / ((own.tagged | true.tagged).bit_count() or 1)
    return (
        (own.on != true.on)
        + (own.untagged != true.untagged)
        + tagged
        + (own.arrives != true.arrives) / 2
    )


def learn_effects(
    look: Look,
    texts: Sequence[bytes],
    devices: Sequence[Device],
    dialect_of: Callable[[Hypothesis], Dialect],
) -> Learnt:
    """The hypothesis that agrees best with the evidence."""
    evidence = _Evidence(texts, devices, look.lists)
    known: dict[tuple[tuple[tuple[int, str], ...], int], float] = {}

    left: int | None = _MOST_TRIED

    def error(hypothesis: Hypothesis) -> float:
        key = tuple(sorted(hypothesis.effects.items())), hypothesis.defaults
        if key not in known:
            if left is not None and len(known) >= left:
                return float("inf")
            known[key] = sum(e for _, _, e in evidence.errors(dialect_of(hypothesis)))
        return known[key]

    options = {n: found for n, one in enumerate(look.patterns) if (found := candidates(one))}
    frequent = sorted(options, key=lambda n: -len(look.patterns[n].at))
    unsure = set(frequent[_MOST_PATTERNS:])
    options = {n: options[n] for n in options if n not in unsure}

    def climbed(start: Hypothesis) -> tuple[Hypothesis, float]:
        """The hypothesis that single changes, and pairs of them, lead to."""
        best, least = start, error(start)
        for _ in range(_MOST_STEPS):
            at = {(switch, name) for switch, name, e in evidence.errors(dialect_of(best)) if e}
            near = {n: options[n] for n in options if evidence.touches(look.patterns[n], at)}
            found = _lowest(_changes(best, near), error, least) if at else None
            found = found or (_lowest(_pairs(best, near), error, least) if at else None)
            if found is None:
                break
            best, least = found
        return best, least

    best, least = climbed(Hypothesis())
    if least > _NOTHING:
        # From the other side: ports that are members of VLANs by lists, tagged or not.
        left = 2 * _MOST_TRIED
        lists = {n: _MEMBERS for n, effects in options.items() if _MEMBERS in effects}
        other, error_there = climbed(Hypothesis(lists))
        if error_there < least - _NOTHING:
            best, least = other, error_there
    of_ports = {n: one for n, one in options.items() if not is_membership(look.patterns[n])}
    best = _plainer(best, of_ports, error, least)
    # What follows looks at each pattern once: that it always may.
    left = None
    fitting = [n for n in range(len(DEFAULTS)) if error(Hypothesis(best.effects, n)) <= least]
    best = Hypothesis(best.effects, min([*fitting, best.defaults]))
    wrong = [(switch, name) for switch, name, e in evidence.errors(dialect_of(best)) if e]
    alternatives: dict[int, list[str]] = {}
    doubtful = {n for n in options if evidence.touches(look.patterns[n], set(wrong))}
    for number, effects in options.items():
        chosen = best.effects.get(number, "")
        alike = [
            effect
            for effect in effects
            if effect != chosen and error(_changed(best, number, effect)) <= least + _NOTHING
        ]
        if chosen:
            alternatives[number] = alike
        elif number in doubtful or any("{V}" in e or e in _TELLING for e in alike):
            unsure.add(number)
            alternatives[number] = alike
    kinds = {bare(n): n for n in reversed([best.defaults, *fitting])}
    return Learnt(best, least, wrong, alternatives, unsure, sorted(kinds.values()))


def bare(defaults: int) -> tuple[str, str]:
    """What a port is of which nothing is said: on or off, and the VLAN of its untagged frames."""
    own = DEFAULTS[defaults]
    shown = {
        "access": own["vlan"],
        "trunk": own["native"] if own["allowed"] == "all" else "none",
        "general": own.get("pvid", "1"),
    }[own["mode"]]
    return own.get("state", "on"), shown


def _changes(hypothesis: Hypothesis, options: dict[int, list[str]]) -> Iterator[Hypothesis]:
    """All hypotheses that differ in one thing, the simplest first."""
    for number, effects in options.items():
        for effect in (*effects, ""):
            if hypothesis.effects.get(number, "") != effect:
                yield _changed(hypothesis, number, effect)
    for number in range(len(DEFAULTS)):
        if number != hypothesis.defaults:
            yield Hypothesis(hypothesis.effects, number)


def _pairs(hypothesis: Hypothesis, options: dict[int, list[str]]) -> Iterator[Hypothesis]:
    """All hypotheses that differ in the effects of two patterns."""
    for one, other in combinations(list(options)[:_MOST_PAIRED], 2):
        for effect in options[one]:
            for other_effect in options[other]:
                yield _changed(_changed(hypothesis, one, effect), other, other_effect)


def _plainer(
    hypothesis: Hypothesis,
    options: dict[int, list[str]],
    error: Callable[[Hypothesis], float],
    least: float,
) -> Hypothesis:
    """The same hypothesis with trunks and access ports for general ports, where it agrees as well:
    whoever writes lists of trunks means trunks.
    """
    effects = hypothesis.effects.items()
    general = [n for n, effect in effects if "general" in effect and n in options]
    if not 0 < len(general) <= _MOST_PLAINER:
        return hypothesis
    plain = [[e for e in options[n] if "general" not in e and "pvid" not in e] for n in general]
    for chosen in product(*plain):
        one = hypothesis
        for number, effect in zip(general, chosen, strict=True):
            one = _changed(one, number, effect)
        if error(one) <= least + _NOTHING:
            return one
    return hypothesis


def _lowest(
    hypotheses: Iterable[Hypothesis], error: Callable[[Hypothesis], float], least: float
) -> tuple[Hypothesis, float] | None:
    """The first of the hypotheses with the lowest error, if that is below `least`."""
    best: tuple[Hypothesis, float] | None = None
    for one in hypotheses:
        wrong = error(one)
        if wrong < (least if best is None else best[1]) - _NOTHING:
            best = one, wrong
    return best


def _changed(hypothesis: Hypothesis, number: int, effect: str) -> Hypothesis:
    effects = {**hypothesis.effects, number: effect}
    if not effect:
        del effects[number]
    return Hypothesis(effects, hypothesis.defaults)
