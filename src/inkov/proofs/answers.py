"""What a search for frames comes to, as values. No sentence is in here, and none decides anything.

There are three kinds of answers:

- `Reaches`: frames get there. `Heard` by frames alone, `Passed` by routers, `Answered` there and
  back, `Joined` each to each, `Escaped` beyond the places where a VLAN may be.
- `StaysApart`: none do. `Apart` two sides, `Silent` one that was to be heard, `Unanswered` there or
  back, `Split` members, a `Lost` one, `Contained` within the places where a VLAN may be.
- `Open`: that is not decided. `Unsettled` where only ways are known that cannot happen in a tree,
  `Overlapping` sides, an `Unnamed` member.

Whether the claim holds or is broken by that, `outcome_of` says; how it is told, `words`.
"""

from __future__ import annotations

from typing import Any

from msgspec import Struct, field

from inkov.forwarding.follow import Step
from inkov.forwarding.reasons import Sentence
from inkov.forwarding.routers import Path
from inkov.levels import Outcome
from inkov.plan.schema import Carried
from inkov.proofs.verdict import Blame
from inkov.wiring import End

__all__ = [
    "Answer",
    "Answered",
    "Apart",
    "Contained",
    "Escaped",
    "Heard",
    "Joined",
    "Lost",
    "Open",
    "Overlapping",
    "Passed",
    "Reaches",
    "Silent",
    "Split",
    "StaysApart",
    "Unanswered",
    "Unnamed",
    "Unsettled",
    "outcome_of",
]

Certificate = dict[str, Any]


class _Answer(Struct, kw_only=True):
    """The evidence that any answer may bring.

    `steps` is the way of a frame, to where it is heard or stops; `certificate` what the verifier
    needs, {} for none; `blame` the lines that make it so, where they are asked for.
    """

    steps: list[Step] = field(default_factory=list)
    certificate: Certificate = field(default_factory=dict)
    blame: list[Blame] = field(default_factory=list)


class Heard(_Answer):
    """Frames get there: `steps` is the way of one. `hearers` is how many seats hear some."""

    hearers: int


class Passed(_Answer):
    """Routers pass packets there. `perhaps`: on every way a filter stops some of them, or a router
    would have to send them back into the VLAN they came from.
    """

    path: Path
    end: End
    perhaps: bool = False


class Answered(_Answer):
    """A ping between two hosts works: `steps` is the way there, and the way back behind it."""

    hosts: tuple[str, str]


class Unanswered(_Answer):
    """A ping between two hosts does not work: on the way `way`, for the reason `says`."""

    way: str
    says: str


class Joined(_Answer):
    """Members hear each other: `number` of ports, or of switches (`switches`)."""

    number: int
    switches: bool = False


class Escaped(_Answer):
    """A VLAN gets to `places` where it may not be; `steps` is the way to one of them."""

    carried: Carried
    places: list[str]


class Apart(_Answer):
    """No frame of one side gets to the other. `nobody`: a side has no port at all."""

    nobody: bool = False


class Silent(_Answer):
    """What one side sends does not get to the other: `steps` leads to where it stops.

    `ends` is None, and there are no steps, where a side has no port that is on.
    """

    ends: tuple[End, End] | None


class Split(_Answer):
    """A VLAN falls into `parts` islands, for the reason `why` if one is found.

    `shown` names the switches of the first islands.
    """

    parts: int
    shown: str
    why: Sentence | None


class Lost(_Answer):
    """A member that is not in its VLAN, where the files put it: the port `end`, for the reason
    `why`.
    """

    end: End
    why: Sentence


class Contained(_Answer):
    """A VLAN is only where it may be."""

    carried: Carried


class Unsettled(_Answer):
    """Frames could get somewhere, but only by ways that pass a switch twice (FM 3.10).

    They could get to the port `end`; or by routers along `path` to it; or, of a VLAN, to `places`.
    """

    end: End | None = None
    path: Path | None = None
    carried: Carried | None = None
    places: list[str] = field(default_factory=list)


class Overlapping(_Answer):
    """Two members that are to be apart have the port `end` in common, or its wire (`on_wire`)."""

    members: tuple[str, str]
    end: End
    on_wire: bool = False


class Unnamed(_Answer):
    """A member that means nothing: what to say of it, and the names nearest to it."""

    says: str
    nearest: list[str]


Reaches = Heard | Passed | Answered | Joined | Escaped
StaysApart = Apart | Silent | Unanswered | Split | Lost | Contained
Open = Unsettled | Overlapping | Unnamed
Answer = Reaches | StaysApart | Open


def outcome_of(answer: Answer, *, wanted: bool) -> Outcome:
    """The verdict on a claim. `wanted`: it says that frames get there (`join`, `reach`)."""
    perhaps = isinstance(answer, Passed) and answer.perhaps
    if isinstance(answer, Open) or (perhaps and wanted):
        return Outcome.UNDECIDED  # a filter that stops some packets may stop those that matter
    return Outcome.HOLDS if isinstance(answer, Reaches) == wanted else Outcome.BROKEN
