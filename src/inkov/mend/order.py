"""In which order edits are to be made, so that no step on the way cuts off more than the end does.

## Theory of operation

What is entered at one switch in one stage is one step. The stages: what only adds comes first (a
VLAN is defined before a list allows it, a list allows it before a gateway or a port needs it), then
what changes, then what takes away, rows last of all. So in the stages that add nobody loses
anything, and in those that take away nobody loses what he keeps in the end.

What changes may cut somebody off for a while: the two ends of a link whose native VLAN is changed,
say. There the end that is farther from where the switches are managed comes first, since behind the
nearer one nobody could reach it any more. Each step is tried, or where there are very many of them
the end of each stage; what is cut off for the time being is told beside it.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence

from msgspec import Struct, field

from inkov.campus import Campus, Fact, natural
from inkov.edits import Edit, Kind, apply
from inkov.effects import Effect, story_in_words
from inkov.effects.side import SeatName
from inkov.forwarding import Fabric, resolve
from inkov.forwarding.domains import domains
from inkov.mend.trial import Trial, trial
from inkov.plan import Plan
from inkov.progress import with_progress
from inkov.vlanset import VlanSet
from inkov.wiring import wire

__all__ = ["Step", "covers", "in_order"]

_MOST_TRIALS = 60
_MOST_SWITCHES = 100  # with more, only the ends of stages are tried


class Step(Struct):
    """Edits that are made at once, at one switch (`switch` is "" for tables). `cuts` says who is
    cut off until a later step, if anybody is; `tried` is false where only a later step was.
    """

    switch: str
    edits: list[Edit]
    stage: int
    cuts: list[str] = field(default_factory=list)
    tried: bool = True


def in_order(fabric: Fabric, plan: Plan, edits: Iterable[Edit]) -> list[Step]:
    """The steps of some edits, in the order in which they are to be made."""
    steps: dict[tuple[str, int], Step] = {}
    edits = list(edits)
    another_mode = {(edit.switch, edit.name) for edit in edits if edit.attribute == "mode"}
    for edit in edits:
        for part in _parts(edit):
            # A trunk gets its list with its mode: it would let everything through until then.
            listed = edit.attribute in _LISTS and (edit.switch, edit.name) in another_mode
            key = edit.switch, _CHANGES if listed else _stage(part)
            steps.setdefault(key, Step(edit.switch, [], key[1])).edits.append(part)
    depth = _depths(fabric, plan)
    ordered = sorted(
        steps.values(),
        key=lambda step: (
            step.stage,
            -depth.get(step.switch, 0) if step.stage >= _CHANGES else 0,
            natural(step.switch),
        ),
    )
    _try(fabric, plan, ordered)
    return ordered


# --- stages ---------------------------------------------------------------------------------------

_DEFINES, _ALLOWS, _SERVES, _CHANGES, _PLUGS, _NAMES, _NARROWS, _ENDS, _REMOVES = range(9)


def _stage(edit: Edit) -> int:
    # A cable is of no use before.
    if edit.kind is Kind.CABLE:
        return _PLUGS  # once both ends are what they are to be
    if edit.kind is Kind.VLAN:
        # A row comes first, or goes last.
        if edit.whole:
            return _DEFINES if edit.after is not None else _REMOVES
        return _NAMES if edit.attribute == "name" else _DEFINES
    # A gateway, or a sub-interface, that is new serves; one that goes ends.
    if edit.kind is Kind.GATEWAY or (edit.whole and edit.kind is Kind.PORT):
        return _ENDS if edit.whole and edit.after is None else _SERVES
    sets = _sets(edit)
    # A list that only gets more opens; any other narrows.
    if sets is not None and edit.attribute in _LISTS:
        before, after = sets
        return _ALLOWS if not before - after else _NARROWS
    # Up is a change; down ends something.
    if edit.attribute == "enabled":
        return _CHANGES if isinstance(edit.after, Fact) and edit.after.value else _ENDS
    # What says nothing of frames may come at any time.
    return _CHANGES if edit.attribute in _DECIDING else _NAMES


_LISTS = ("allowed", "tagged")
_DECIDING = (
    *("mode", "negotiation", "access_vlan", "voice_vlan", "native_vlan", "native_tagged", "pvid"),
    *("untagged", "accept", "withheld", "protected", "registration", "address", "addresses"),
)


def _sets(edit: Edit) -> tuple[VlanSet, VlanSet] | None:
    values = [fact.value for fact in (edit.before, edit.after) if isinstance(fact, Fact)]
    if len(values) == 2 and all(isinstance(value, VlanSet) for value in values):
        return values[0], values[1]
    return None


def _parts(edit: Edit) -> list[Edit]:
    """A list that gets some VLANs and loses others gets them first, and loses the others later."""
    sets = _sets(edit) if edit.attribute in _LISTS else None
    if sets is None:
        return [edit]
    before, after = sets
    # Only one of both: nothing to part.
    if not after - before or not before - after:
        return [edit]
    wider = Fact(before | after, edit.after.origin)
    return [
        Edit(*edit.place, edit.before, wider),
        Edit(*edit.place, wider, edit.after),
    ]


def _depths(fabric: Fabric, plan: Plan) -> dict[str, int]:
    """How many links each switch is away from where the switches are managed: where the management
    VLAN is routed, or else where most is routed.
    """
    vid = plan.says.practice.management
    routing: dict[str, int] = {}
    for device, gateway in fabric.gateways():
        routing[device.name] = routing.get(device.name, 0) + 1 + 1000 * (gateway.vid == vid)
    # Without routers all switches count as equally near.
    most = max(routing.values(), default=0)
    depths = {name: 0 for name, number in routing.items() if number == most}
    beside: dict[str, list[str]] = {}
    for link in fabric.wiring.links:
        beside.setdefault(link.a.device, []).append(link.b.device)
        beside.setdefault(link.b.device, []).append(link.a.device)
    work = sorted(depths)
    for name in work:
        for far in beside.get(name, ()):
            # The nearest way counts.
            if far not in depths:
                depths[far] = depths[name] + 1
                work.append(far)
    return depths


# --- trials ---------------------------------------------------------------------------------------


def _try(fabric: Fabric, plan: Plan, steps: Sequence[Step]) -> None:
    """Find out who is cut off on the way."""
    # One step cannot be in the way of another.
    if len(steps) < 2:
        return
    campus = fabric.campus
    at_end = _resolved(campus, [edit for step in steps for edit in step.edits])
    in_the_end = trial(fabric, at_end, plan)
    managed = _managed(fabric, plan), _managed(at_end, plan)
    each = len(steps) <= _MOST_TRIALS and len(campus.devices) <= _MOST_SWITCHES
    made: list[Edit] = []
    for number, step in enumerate(with_progress("steps tried", steps[:-1])):
        made += step.edits
        # Very many steps: only the end of each stage is tried.
        if not each and steps[number + 1].stage == step.stage:
            step.tried = False
            continue
        now = _resolved(campus, made)
        step.cuts = _beyond(trial(fabric, now, plan), in_the_end)
        lost = (managed[0] & managed[1]) - _managed(now, plan)
        step.cuts += [f"{name} cannot be managed" for name in sorted(lost, key=natural)]


def _resolved(campus: Campus, edits: Sequence[Edit]) -> Fabric:
    after = campus
    for edit in edits:  # one after the other: a list may be edited twice
        after = apply(after, [edit])
    return resolve(after, wire(after))


def _beyond(now: Trial, in_the_end: Trial) -> list[str]:
    """Who is cut off now, and not in the end."""
    # Not known, now or in the end.
    if now.undecided or in_the_end.undecided:
        return [now.undecided or in_the_end.undecided]
    return [
        f"{story_in_words([effect])} are cut off"
        for effect in now.lost
        if not any(covers(final, effect) for final in in_the_end.lost)
    ]


def covers(wider: Effect, effect: Effect) -> bool:
    """Whether all that is lost by one effect is lost by another as well, and as much of it."""
    if wider.layer != effect.layer or (wider.row.in_part and not effect.row.in_part):
        return False
    return all(
        any(sources <= theirs and targets <= reached for theirs, reached in _ways(wider))
        for sources, targets in _ways(effect)
    )


def _ways(effect: Effect) -> list[tuple[set[SeatName], set[SeatName]]]:
    """From whom to whom an effect is, one way or both."""
    sides = set(effect.row.sources), set(effect.row.targets)
    return [sides, sides[::-1]] if effect.row.both_ways else [sides]


def _managed(fabric: Fabric, plan: Plan) -> set[str]:
    """The switches that are in the largest part of the management VLAN."""
    # Nobody says in which VLAN the switches are managed.
    vid = plan.says.practice.management
    if vid is None:
        return set()
    there = domains(fabric)
    parts: dict[int, set[str]] = {}
    for device, gateway in fabric.gateways():
        bridge = fabric.bridge_of.get((device.name, gateway.bridge))
        # Its address is in the VLAN and up.
        if gateway.vid == vid and gateway.on and bridge is not None:
            label = there.of(bridge, vid)
            if label >= 0:
                parts.setdefault(label, set()).add(device.name)
    ordered = sorted(parts.values(), key=lambda part: (-len(part), min(part)))
    return ordered[0] if ordered else set()
