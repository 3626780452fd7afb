"""Answers in words: what a verdict gives as its reason. The one place where proofs speak."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from inkov.forwarding.routers import Fate, Path
from inkov.levels import Layer
from inkov.proofs.answers import (
    Answer,
    Answered,
    Apart,
    Contained,
    Escaped,
    Heard,
    Joined,
    Lost,
    Overlapping,
    Passed,
    Silent,
    Split,
    Unanswered,
    Unnamed,
    Unsettled,
)
from inkov.wiring import End

__all__ = ["left_out", "reason"]

_SHOWN = 5
_TWICE = "but only by ways that pass a switch twice: not settled"


def reason(answer: Answer, layer: Layer) -> str:
    """Why a verdict is what it is, as a sentence without its full stop."""
    return _REASONS[type(answer)](answer, layer)


def _heard(answer: Heard, layer: Layer) -> str:
    first, last = answer.steps[0], answer.steps[-1]
    # One hearer is named, others are counted.
    more = f" and {answer.hearers - 1} more" if answer.hearers > 1 else ""
    return (
        f"what is sent at {first.switch}:{first.port} in VLAN {first.vlan} is heard at"
        f" {last.switch}:{last.port}{more}"
    )


def _passed(answer: Passed, layer: Layer) -> str:
    return _routed_to(answer.path, answer.end)


def _routed_to(path: Path, end: End) -> str:
    # Which filter, if one stops a part.
    in_part = f", in part ({path.says})" if path.how != Fate.PASSES else ""
    ways = f"packets are routed from {path.into.label} to {path.out.label}"
    if path.back:
        ways = f"{path.into.label} sends packets back into the VLAN they came from"
    return f"{ways}, and get to {end}{in_part}"


def _answered(answer: Answered, layer: Layer) -> str:
    one, other = answer.hosts
    return f"a ping between {one} and {other} works, there and back"


def _unanswered(answer: Unanswered, layer: Layer) -> str:
    return f"a ping does not work: {answer.way}: {answer.says}"


def _joined(answer: Joined, layer: Layer) -> str:
    if answer.switches:
        return f"its members on {answer.number} switches talk with each other"
    if answer.number > 1:
        return f"{answer.number} ports hear each other"
    return "no port beside another is in it"


def left_out(shut: list[End]) -> str:
    """What a join does not speak of: ports of its VLANs that are shut."""
    if not shut:
        return ""
    ports = "1 port is" if len(shut) == 1 else f"{len(shut)} ports are"
    more = f" and {len(shut) - _SHOWN} more" if len(shut) > _SHOWN else ""
    return f"; {ports} shut and left out: {', '.join(map(str, shut[:_SHOWN]))}{more}"


def _escaped(answer: Escaped, layer: Layer) -> str:
    return _gets_to(answer.carried.vlans, answer.places)


def _gets_to(vlans: object, places: list[str]) -> str:
    more = f" and {len(places) - _SHOWN} more" if len(places) > _SHOWN else ""
    return f"frames of VLAN {vlans} get to {', '.join(places[:_SHOWN])}{more}"


def _apart(answer: Apart, layer: Layer) -> str:
    if answer.nobody:
        return "one side has no port at all"
    frames = "no frame gets from one side to the other, over any link that is up"
    routed = ", and no router passes packets between them" if layer == Layer.PACKETS else ""
    return frames + routed


def _silent(answer: Silent, layer: Layer) -> str:
    routed = "; and no router passes on its packets" if layer == Layer.PACKETS else ""
    if answer.ends is None:
        return f"one side has no port that is on{routed}"
    source, target = answer.ends
    stops = answer.steps[-1].because
    return f"what {source} sends does not arrive at {target}: {stops}{routed}"


def _split(answer: Split, layer: Layer) -> str:
    why = f": {answer.why.says}" if answer.why else ""
    return f"it falls into {answer.parts} parts: {answer.shown}{why}"


def _lost(answer: Lost, layer: Layer) -> str:
    return f"{answer.end} is cut off from it: {answer.why.says}"


def _contained(answer: Contained, layer: Layer) -> str:
    return f"VLAN {answer.carried.vlans} is on {answer.carried.words} only"


def _unsettled(answer: Unsettled, layer: Layer) -> str:
    # Three cases: a VLAN beyond its places, packets over routers, frames to a port.
    if answer.carried is not None:
        return f"{_gets_to(answer.carried.vlans, answer.places)}, {_TWICE}"
    assert answer.end is not None
    if answer.path is not None:
        return f"{_routed_to(answer.path, answer.end)}, {_TWICE}"
    return f"frames could get to {answer.end}, {_TWICE}"


def _overlapping(answer: Overlapping, layer: Layer) -> str:
    one, other = answer.members
    if answer.on_wire:
        return (
            f"{one} and {other} are on one wire, that of {answer.end}: what they hear of each other"
            " passes no switch"
        )
    return f"{one} and {other} have ports in common, {answer.end} among them"


def _unnamed(answer: Unnamed, layer: Layer) -> str:
    near = " or ".join(answer.nearest)
    return f"{answer.says}; did you mean {near}?" if near else answer.says


_REASONS: dict[type, Callable[[Any, Layer], str]] = {
    Heard: _heard,
    Passed: _passed,
    Answered: _answered,
    Unanswered: _unanswered,
    Joined: _joined,
    Escaped: _escaped,
    Apart: _apart,
    Silent: _silent,
    Split: _split,
    Lost: _lost,
    Contained: _contained,
    Unsettled: _unsettled,
    Overlapping: _overlapping,
    Unnamed: _unnamed,
}
