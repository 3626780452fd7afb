"""What a hypothesis makes of the texts, without reading them again for each.

Theory of operation. What a statement does depends on the form that takes it, and on nothing that
other statements do. So the texts are read once for each kind of effect, with every pattern that may
have this effect having it, and the steps of each line are kept. A hypothesis then is a choice of
steps, line by line. What a port does is settled by the steps about it, in their order: two ports of
a switch with the same steps do the same, under any hypothesis, so each row of steps is worked out
once. What was found this way is read for real before it is believed (`search.learn_effects`).
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Sequence
from typing import Any, NamedTuple

from msgspec import Struct, field
from msgspec.structs import replace

from inkov.campus import Campus, Device
from inkov.forwarding import resolve
from inkov.learn.hypothesis import Hypothesis
from inkov.learn.rows import Look, Pattern
from inkov.readers.dialects import Dialect, read_text
from inkov.readers.dialects.device import Building
from inkov.readers.dialects.inherit import PORTS, Step, is_special, ordered
from inkov.readers.dialects.lists import Wild
from inkov.readers.dialects.read import Taken
from inkov.readers.dialects.text import Shape, Style, lines
from inkov.readers.reading import Part
from inkov.readers.sheets.words import BadLine
from inkov.wiring import End, Wiring
from inkov.wiring.names import NameFinder

__all__ = ["Rehearsal", "View", "errors_of", "views"]

_NO_PORT = 4.0  # the error of a port that passes frames and is not read at all


class View(NamedTuple):
    """What a port does with nobody at it: is it on, and what it sends and takes, as masks."""

    on: bool
    untagged: int
    tagged: int
    arrives: int


def views(device: Device) -> dict[str, View]:
    """What each port of a device does by itself."""
    fabric = resolve(Campus({device.name: device}), Wiring())
    by_port = {}
    for name in device.ports:
        port = fabric.ports[End(device.name, name)]
        view = port.view
        on = port.up
        masks = (view.untagged, view.emit & ~view.untagged, view.pvid) if on else (0, 0, 0)
        by_port[name] = View(on, *masks)
    return by_port


class _Line(NamedTuple):
    """A line: the pattern whose effect it has (-1 for none that is looked for), and its steps, by
    effect.
    """

    pattern: int
    steps: dict[str, list[Step]]


class _Port(Struct):
    """A port as a text names it: the lines, and the patterns, that may be about it, and its views,
    by their effects (None where it is not there).
    """

    lines: list[int] = field(default_factory=list)
    patterns: tuple[int, ...] = ()
    views: dict[tuple[Any, ...], View | None] = field(default_factory=dict)


class _Switch:
    """One text, and what the ports of its switch do by the other source. `rows` are the views of
    ports by what is said of them, `apart` the lines that are about no port; `special` tells whether
    ports may take something over, `wild` whether something is said of ports that are named
    elsewhere.
    """

    def __init__(self, device: Device) -> None:
        self.true = views(device)
        self.finder = NameFinder(self.true)
        self.lines: list[_Line] = []
        self.apart: list[int] = []
        self.special = False
        self.wild = False
        self.ports: dict[str, _Port] = {}
        self.rows: dict[tuple[int, ...], View | None] = {}
        self.named: dict[str, str | None] = {}

    def called(self, port: str) -> str | None:
        """The name by which the other source has a port of the text."""
        # Each name is looked for once.
        if port not in self.named:
            self.named[port] = self.finder.find(port)
        return self.named[port]

    def errors(self, read: Iterable[tuple[str, View | None]]) -> Iterator[tuple[str, float]]:
        """For each port of the other source how wrong it is read."""
        own = {self.called(name): view for name, view in read if view is not None}
        for name, true in self.true.items():
            yield name, _error(own.get(name), true)


class Rehearsal:
    """The texts, each statement with whatever it may do. `options` are the effects that may be
    had, by pattern; of patterns of one form in one block (`groups`) the first stands for all.
    """

    def __init__(
        self,
        look: Look,
        texts: Sequence[bytes],
        devices: Sequence[Device],
        options: dict[int, list[str]],
        groups: dict[int, list[int]],
        dialect_of: Callable[[Hypothesis], Dialect],
    ) -> None:
        self.look = look
        self.switches = [_Switch(device) for device in devices]
        self.groups = groups
        self._dialect_of = dialect_of
        self._platforms: dict[int, Dialect] = {}
        self._kinds: dict[tuple[Any, ...], int] = {}
        self._rehearse(texts, options)

    def errors(self, hypothesis: Hypothesis) -> Iterator[tuple[int, str, float]]:
        """For each port of the other source (by switch and name) how wrong it is read."""
        for number, switch in enumerate(self.switches):
            for name, error in switch.errors(self._read(switch, hypothesis)):
                yield number, name, error

    def touches(self, number: int, ports: set[tuple[int, str]]) -> bool:
        """Whether a pattern, or one that goes with it, is about any of some ports, as far as its
        lists tell. What ports take over may be about any.
        """
        alike = self._alike(number)
        # What ports share may be about any of them.
        if ports and any(pattern.is_shared for pattern in alike):
            return True
        for row in (row for pattern in alike for row in pattern.rows):
            switch = self.switches[row.switch]
            for words in row.ports():
                try:
                    named = [switch.called(port) for port in self.look.lists.ports(words)]
                except BadLine:
                    continue
                # It names one of them.
                if any((row.switch, name) in ports for name in named):
                    return True
        return False

    def support(self, wrong: set[tuple[int, str]]) -> dict[int, tuple[int, int]]:
        """For each pattern how many ports that it is about are read as they are, and how many not,
        where `wrong` are these.
        """
        support: dict[int, tuple[int, int]] = {}
        for number, switch in enumerate(self.switches):
            for name, port in switch.ports.items():
                true = switch.called(name)
                for pattern in port.patterns if true is not None else ():
                    agree, differ = support.get(pattern, (0, 0))
                    amiss = (number, true) in wrong
                    support[pattern] = agree + (not amiss), differ + amiss
        return support

    def _alike(self, number: int) -> list[Pattern]:
        return [self.look.patterns[pattern] for pattern in self.groups[number]]

    # --- once -------------------------------------------------------------------------------------

    def _rehearse(self, texts: Sequence[bytes], options: dict[int, list[str]]) -> None:
        effects = ["", *dict.fromkeys(effect for several in options.values() for effect in several)]
        spelled = [one_by_one(text.decode(), self.look.style).encode() for text in texts]
        pattern_of: list[dict[int, int]] = [{} for _ in texts]
        for first, alike in self.groups.items():
            # Only patterns whose effect is looked for.
            for number in alike if first in options else ():
                pattern = self.look.patterns[number]
                for row in (*pattern.rows, *pattern.undone):
                    pattern_of[row.switch][row.place] = first
        steps: list[dict[int, dict[str, list[Step]]]] = [{} for _ in texts]
        for effect in effects:
            having = {
                number: effect
                for first, several in options.items()
                if effect in several
                for number in self.groups[first]
            }
            dialect = self._dialect_of(Hypothesis(having))
            for switch, text in enumerate(spelled):
                for line, done in _steps(dialect, text):
                    by_effect = steps[switch].setdefault(line, {})
                    # Without an effect each line is kept; with one, those that can have it.
                    if not effect or line in pattern_of[switch]:
                        by_effect[effect] = done
        for switch, of_lines in enumerate(steps):
            self.switches[switch].lines = [
                _Line(pattern_of[switch].get(line, -1), of_lines[line]) for line in sorted(of_lines)
            ]
            self._find_ports(self.switches[switch])

    def _find_ports(self, switch: _Switch) -> None:
        """The ports that a text names, each with the patterns that may be about it."""
        patterns: dict[str, set[int]] = {}
        shared: set[int] = set()
        for at, (pattern, by_effect) in enumerate(switch.lines):
            # About ports, as far as what they take over is.
            if pattern >= 0 and any(alike.is_shared for alike in self._alike(pattern)):
                shared.add(pattern)
            steps = [step for done in by_effect.values() for step in done]
            switch.special = switch.special or any(map(is_special, steps))
            named = {port for step in steps for port, _ in self._about_ports(step)}
            for port in sorted(named, key=str):
                # "All others", and the like, may be any port.
                switch.wild = switch.wild or isinstance(port, Wild)
                if not isinstance(port, Wild):
                    patterns.setdefault(port, set()).add(pattern)
                    switch.ports.setdefault(port, _Port()).lines.append(at)
            # About no port: it may still matter to what is said of others.
            if not named:
                switch.apart.append(at)
        for port, own in patterns.items():
            switch.ports[port].patterns = tuple(sorted((own | shared) - {-1}))

    def _platform(self, defaults: int) -> Dialect:
        if defaults not in self._platforms:
            self._platforms[defaults] = self._dialect_of(Hypothesis({}, defaults))
        return self._platforms[defaults]

    # --- a hypothesis -----------------------------------------------------------------------------

    def _read(self, switch: _Switch, hypothesis: Hypothesis) -> list[tuple[str, View | None]]:
        """What each port of a text does."""
        effects, defaults = hypothesis.effects, hypothesis.defaults
        keys = {
            name: (defaults, *[effects.get(pattern, "") for pattern in port.patterns])
            for name, port in switch.ports.items()
        }
        missing = [name for name, key in keys.items() if key not in switch.ports[name].views]
        # Only what has not been seen with these effects.
        if missing:
            worked_out = self._worked_out(switch, hypothesis, missing)
            for name in missing:
                switch.ports[name].views[keys[name]] = worked_out[name]
        return [(name, port.views[keys[name]]) for name, port in switch.ports.items()]

    def _worked_out(
        self, switch: _Switch, hypothesis: Hypothesis, ports: Sequence[str]
    ) -> dict[str, View | None]:
        """What some ports do, from the steps about them."""
        wanted: Iterable[int] = range(len(switch.lines))
        # What is said of ports named elsewhere needs all lines.
        if not switch.wild:
            wanted = sorted({*switch.apart, *(at for p in ports for at in switch.ports[p].lines)})
        steps: list[Step] = []
        for at in wanted:
            pattern, by_effect = switch.lines[at]
            steps += by_effect.get(hypothesis.effects.get(pattern, ""), ())
        in_order = steps
        # What ports take over has an order of its own.
        if switch.special:
            result = ordered(steps, frozenset())
            in_order = [*result.first, *result.then]
        by_port: dict[str, list[int]] = {port: [hypothesis.defaults] for port in ports}
        for step in in_order:
            for port, kind in self._about_ports(step):
                # What is said of other ports does not matter here.
                if port in by_port:
                    by_port[port].append(kind)
        rows = {port: tuple(row) for port, row in by_port.items()}
        missing: dict[tuple[int, ...], str] = {}
        for port, row in rows.items():
            # Another port with the same row does the same.
            if row not in switch.rows:
                missing.setdefault(row, port)
        if missing:
            # What is in order needs no order any more; but what is taken back may be inherited.
            whole = switch.special and any(map(_takes_back, in_order))
            some = steps if whole else _about(in_order, set(missing.values()))
            read = views(_built(self._platform(hypothesis.defaults), some)[0])
            for row, port in missing.items():
                switch.rows[row] = read.get(port)
        return {port: switch.rows[row] for port, row in rows.items()}

    def _about_ports(self, step: Step) -> list[tuple[Any, int]]:
        """The ports that a step is about, each with the number of what it does to them."""
        kinds = []
        for bound in step.bound:
            kind, keys = (bound.on, bound.keys) if bound.on else (step.kind, step.keys)
            # What it does to ports, as far as that decides a view.
            if kind in PORTS:
                does = kind, bound.attribute, bound.operator, bound.value, bound.when, step.form
                number = self._kinds.setdefault(does, len(self._kinds))
                kinds += [(key, number) for key in keys]
        return kinds


def _takes_back(step: Step) -> bool:
    return any(bound.operator in ("unset", "bare") or bound.when for bound in step.bound)


def errors_of(
    dialect: Dialect, texts: Sequence[bytes], devices: Sequence[Device]
) -> Iterator[tuple[int, str, float]]:
    """For each port of the other source (by switch and name) how wrong it is, the texts read."""
    for number, (text, device) in enumerate(zip(texts, devices, strict=True)):
        [read] = read_text(dialect, "text", text).part.devices
        for name, error in _Switch(device).errors(views(read).items()):
            yield number, name, error


def _steps(dialect: Dialect, text: bytes) -> Iterator[tuple[int, list[Step]]]:
    """For each line that was taken its number, and what it does."""
    taken: dict[int, Taken] = {}
    read_text(dialect, "text", text, taken)
    steps = [step for reading in taken.values() for step in reading.steps]
    _, failed = _built(dialect, steps)
    for line, reading in taken.items():
        yield line, [step for step in reading.steps if id(step) not in failed]


def _built(dialect: Dialect, steps: Iterable[Step]) -> tuple[Device, set[int]]:
    """The device that steps make, and the steps that cannot be done (by `id`)."""
    building = Building(dialect, "text", Part())
    failed = {id(step) for step, _ in building.apply(steps)}
    return building.device, failed


def _about(steps: Iterable[Step], ports: set[str]) -> Iterator[Step]:
    """Steps with no other ports than some."""
    for step in steps:
        # Without the ports that nobody asks for.
        if step.kind in PORTS:
            keys = tuple(key for key in step.keys if key in ports)
            if keys:
                yield replace(step, keys=keys)
        elif any(bound.on in PORTS for bound in step.bound):
            yield replace(
                step,
                bound=tuple(
                    replace(bound, keys=tuple(key for key in bound.keys if key in ports))
                    if bound.on in PORTS
                    else bound
                    for bound in step.bound
                ),
            )
        else:
            yield step


def one_by_one(text: str, style: Style) -> str:
    """A text with each statement on a line of its own: a braced one is written anew."""
    # Indented texts have a line for each statement anyway.
    if style.shape is not Shape.BRACED:
        return text
    out: list[str] = []
    deep = 0
    for line in lines(text.replace("\r\n", "\n"), style):
        if line.meaning:
            closes = "} " * (deep - line.depth)
            out.append(f"{closes}{line.text}{' {' if line.opens else style.statement_end}")
            deep = line.depth + line.opens
    return "\n".join([*out, "}" * deep])


def _error(own: View | None, true: View) -> float:
    """How much a port differs from what it does: 0 for not at all. A list that is nearly right is
    better than one that is all wrong.
    """
    # Not read at all: as wrong as can be, if it passes anything.
    if own is None:
        return _NO_PORT if true.on and (true.untagged or true.tagged) else 0.0
    # Off is off, whatever it would do.
    if not own.on and not true.on:
        return 0.0
    tagged = (own.tagged ^ true.tagged).bit_count() / ((own.tagged | true.tagged).bit_count() or 1)
    return (
        (own.on != true.on)
        + (own.untagged != true.untagged)
        + tagged
        + (own.arrives != true.arrives) / 2
    )
