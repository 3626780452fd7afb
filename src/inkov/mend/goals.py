"""What a plan wants to be made true: VLANs where it places them, and switches behind others."""

from __future__ import annotations

from collections.abc import Iterable

from msgspec import Struct, field
from msgspec.structs import replace

from inkov.campus import Fact
from inkov.checks import Where
from inkov.edits import Edit, Kind
from inkov.plan import PlannedUplink, PlannedVlan

__all__ = ["Goal", "Uplink", "VlanPlaced", "planned_name"]


class Goal(Struct, kw_only=True):
    """Something that a plan says. `says` is why it is not met; "" if it is. Without `edits` it is
    met as it is. `smallest` is false if fewer edits might do.
    """

    edits: list[Edit] = field(default_factory=list)
    says: str = ""
    smallest: bool = True

    @property
    def words(self) -> str:
        """The goal, as it is told."""
        raise NotImplementedError

    @property
    def key(self) -> dict[str, str | int]:
        """What finds the goal in the plan."""
        raise NotImplementedError

    def is_missed_at(self, where: Iterable[Where]) -> bool:
        """Whether a finding with these places, that something is not as planned, is about it."""
        raise NotImplementedError


class VlanPlaced(Goal):
    """A VLAN on the switches and ports where it belongs (`on`), with its gateways."""

    vid: int
    planned: PlannedVlan

    @property
    def words(self) -> str:
        name = f" ({self.planned.name})" if self.planned.name else ""
        return f"VLAN {self.vid}{name}"

    @property
    def key(self) -> dict[str, str | int]:
        return {"vlan": self.vid}

    def is_missed_at(self, where: Iterable[Where]) -> bool:
        return any(place.vlan == self.vid for place in where)


class Uplink(Goal):
    """A switch behind another one: `near`, a port of the one behind, leads to `planned.to`."""

    near: str
    planned: PlannedUplink

    @property
    def words(self) -> str:
        return f"{self.near} behind {self.planned.to}"

    @property
    def key(self) -> dict[str, str | int]:
        return {"uplink": self.near, "to": self.planned.to}

    def is_missed_at(self, where: Iterable[Where]) -> bool:
        return any(place.origin == self.planned.origin for place in where)


def planned_name(edit: Edit, goal: VlanPlaced) -> Edit:
    """A new row of a VLAN gets the name that the plan has."""
    # Only a row that comes new, if the plan has a name.
    if not (edit.kind is Kind.VLAN and edit.whole and edit.after is not None and goal.planned.name):
        return edit
    named = replace(edit.after, name=Fact(goal.planned.name, goal.planned.origin))
    return Edit(*edit.place, edit.before, named)
