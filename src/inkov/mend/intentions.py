"""Making the plan true: the VLANs that it places (`on`, `gateways`), end to end.

## Theory of operation

What the plan says of one VLAN is a goal. Its edits come about in three steps, each on the campus
with the edits before it:

1. what is said of single switches: rows of tables, ports, gateways; for a VLAN that belongs
   nowhere, all that is left of it;
2. the ways between these switches, on every redundant way (`spread`);
3. what an audit finds then of these VLANs that it did not find before, as far as its rules propose
   edits (a link that nobody needs any more, say): a few rounds, until nothing more is found.

Then what else the plan says is made true, as far as audit finds that it is not (`_OF_PLAN`): names,
the port plan, native VLANs, unused ports.

All of it is tried on the whole campus. It does harm if somebody is cut off whom the plan does not
take out, if frames get to another segment, or if a claim breaks. Then the goals are tried one after
the other, and those that do harm are left out.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from datetime import date
from functools import cached_property

from msgspec import Struct, field
from msgspec.structs import replace

from inkov.campus import Address, Campus, Device, Fact, Gateway, Mode, Port, PortKind
from inkov.checks import Finding
from inkov.checks import audit as run_audit
from inkov.checks.placed import vlan_of
from inkov.checks.words import listed
from inkov.edits import Edit, Kind, apply, difference, vids_of
from inkov.edits.make import defined, gateways_in, of_port, row_gone
from inkov.effects import Comparison, Effect
from inkov.forwarding import Fabric, resolve
from inkov.forwarding.stations import interfaces
from inkov.levels import Level
from inkov.mend.findings import Mended, Trier, mend_findings, together
from inkov.mend.meant import Meant as FindingsMeant
from inkov.mend.spread import spread
from inkov.plan import Placed, Plan, PlannedVlan, placed
from inkov.vlanset import VlanSet
from inkov.wiring import End, wire

__all__ = ["Goal", "mend_plan"]

_ROUNDS = 5
_SHOWN = 4  # ports that are told one by one
_CONTRADICTING = frozenset(
    {"address-used-twice", "subnets-overlap", "vlan-reserved", "vlan-routed-against-plan"}
)
"""Rules that find what a plan cannot mean, with something else that it says or that is there."""
_OF_PLAN = frozenset(
    {
        *("port-against-plan", "unused-port-open", "vlan-name-against-plan"),
        *("native-against-practice", "native-default", "untagged-vlan-differs"),
        *("vlan-planned-absent", "management-surplus"),
    }
)
"""Rules that find what is not as the plan says, beside where VLANs are."""
_MISPLACED = ("vlan-placed-otherwise", "vlan-planned-absent")
"""Rules that find what is not as the plan says: a goal is met where they find nothing of it."""


class Goal(Struct):
    """What the plan says of one VLAN. `says` is why it is not met; "" if it is. Without `edits` it
    is met as it is.
    """

    vid: int
    planned: PlannedVlan
    edits: list[Edit] = field(default_factory=list)
    says: str = ""
    smallest: bool = True

    @property
    def words(self) -> str:
        name = f" ({self.planned.name})" if self.planned.name else ""
        return f"VLAN {self.vid}{name}"


def mend_plan(campus: Campus, plan: Plan, today: date) -> tuple[list[Goal], Mended]:
    """The edits that make true what a plan says, and what they do besides. Goals that cannot be met
    are left out, each with the reason.
    """
    work = _Work(campus, plan, today)
    goals, edits, done = _vlans_placed(work)
    now = _with(campus, edits)
    found = [one for one in work.found_then if one.rule in _OF_PLAN and one.edits]
    more = mend_findings(now, plan, found, today)
    if more.edits:
        edits = difference(campus, apply(now, more.edits))
        done = work.trier.compared(edits, (Level.HONEST, Level.HOSTILE))
    if done is None:
        return goals, Mended(unmet=more.unmet)
    for goal in goals:
        if not goal.says:
            goal.says = work.still(done, goal)
    rules = dict(zip((edit.place for edit in more.edits), more.reasons, strict=True))
    mended = work.trier.mended(edits, done)
    mended.reasons = [
        rules.get(edit.place) or ", ".join(goal.words for goal in goals if edit in goal.edits)
        for edit in edits
    ]
    mended.findings, mended.unmet = more.findings, more.unmet
    mended.harm_of = lambda part: work.harm(
        work.trier.compared(part), goals, work.trier.meant(more.findings, part)
    )
    return goals, mended


def _vlans_placed(work: _Work) -> tuple[list[Goal], list[Edit], Comparison | None]:
    """The goals that place VLANs, the edits that meet them without harm, and what these do."""
    goals = [
        Goal(vid, planned)
        for vid, planned in sorted(work.plan.says.vlans.items())
        if planned.on is not None or planned.gateways is not None
    ]
    kept = list(goals)
    edits = work.edits_of(kept)
    done = work.trier.compared(edits, (Level.HONEST, Level.HOSTILE)) if edits else None
    if done is not None and work.harm(done, kept):
        kept = work.harmless(kept)
        edits = work.edits_of(kept)
        done = work.trier.compared(edits, (Level.HONEST, Level.HOSTILE)) if edits else None
    return goals, edits, done


class _Work:
    """A campus, and the plan that is to become true on it."""

    def __init__(self, campus: Campus, plan: Plan, today: date) -> None:
        self.campus = campus
        self.plan = plan
        self.today = today
        self.trier = Trier(campus, plan, today)
        self.found_then: list[Finding] = []
        """What an audit finds with the edits that were made last."""

    @cached_property
    def fabric(self) -> Fabric:
        """The campus as it is."""
        return _resolved(self.campus)

    @cached_property
    def before(self) -> list[Finding]:
        """What an audit finds as it is."""
        return self._audited(self.fabric)

    def _audited(self, fabric: Fabric) -> list[Finding]:
        return run_audit(fabric, self.plan, today=self.today).findings

    def still(self, done: Comparison, goal: Goal) -> str:
        """What is not as a goal says with the edits that were tried; "" if it is met."""
        gone = {one.id for one in done.gone}
        left = [one for one in self.before if one.id not in gone]
        for one in [*left, *done.new, *done.worse]:
            if one.rule in _MISPLACED and any(where.vlan == goal.vid for where in one.where):
                return one.says
        return ""

    # --- edits ---

    def edits_of(self, goals: list[Goal]) -> list[Edit]:
        """The edits for some goals together. Those that none are known for get the reason and are
        dropped from the list.
        """
        while True:
            found = self._tried(goals)
            failed = [goal for goal in goals if goal.says]
            if not failed:
                return found
            goals[:] = [goal for goal in goals if not goal.says]

    def _tried(self, goals: list[Goal]) -> list[Edit]:
        placing = [goal for goal in goals if goal.planned.on != []]
        _contradict(placing, self.campus)
        leaving = [goal for goal in goals if goal.planned.on == []]
        now, fabric = self.campus, self.fabric
        for step, about in (
            (self._placed, placing),
            (self._taken_away, leaving),
            (self._joined, placing),
        ):
            edits = [edit for goal in about for edit in step(fabric, goal)]
            if edits:
                now = _with(now, edits)
                fabric = _resolved(now)
        if any(goal.says for goal in goals):
            return []
        now = self._in_rounds(now, fabric, VlanSet.from_vids(goal.vid for goal in goals))
        edits = difference(self.campus, now)
        for goal in goals:
            goal.edits = [edit for edit in edits if _is_about(edit, goal.vid)]
        return edits

    def _placed(self, fabric: Fabric, goal: Goal) -> list[Edit]:
        placing = _Placing(fabric, goal)
        if placing.meant.unknown:
            goal.says = "; ".join(placing.meant.unknown)
            return []
        edits = [*placing.rows(), *placing.ports(), *placing.gateways()]
        return [] if goal.says else edits

    def _taken_away(self, fabric: Fabric, goal: Goal) -> list[Edit]:
        """All that is left of a VLAN."""
        edits: list[Edit] = []
        members: list[End] = []
        for resolved in fabric.ports.values():
            for edit in _port_without(fabric, self.plan, resolved.end, goal.vid):
                if isinstance(edit, End):
                    members.append(edit)
                else:
                    edits.append(edit)
        if members:
            names = listed(list(map(str, members)), _SHOWN)
            be = "is" if len(members) == 1 else "are"
            goal.says = f"{names} {be} in it: say in `on` of another VLAN where that belongs"
            return []
        for device in fabric.campus.devices.values():
            edits += [*gateways_gone(device, goal.vid), *row_gone(device, goal.vid)]
        return edits

    def _joined(self, fabric: Fabric, goal: Goal) -> list[Edit]:
        """The ways between the switches where a VLAN belongs, and those where it is in use."""
        members = {
            bridge
            for name, mask in self.plan.wanted(fabric.campus.devices).items()
            if mask >> goal.vid & 1
            and (bridge := fabric.bridge_of.get((name, ""))) is not None
            and not fabric.bridges[bridge].routed
        }
        to_routers = list(_at_routers(fabric, goal.vid))
        members |= {fabric.bridge_of[end.device, ""] for end in to_routers}
        result = spread(fabric, members, goal.vid)
        goal.says = goal.says or result.says
        goal.smallest = result.smallest
        lists = [edit for end in to_routers for edit in _listing(fabric, end, goal.vid)]
        return [*(_planned_name(edit, goal) for edit in result.edits), *lists]

    def _in_rounds(self, now: Campus, fabric: Fabric, vlans: VlanSet) -> Campus:
        """With what an audit proposes then for these VLANs."""
        known = {one.id for one in self.before}
        for _ in range(_ROUNDS):
            unchanged = fabric is self.fabric
            self.found_then = self.before if unchanged else self._audited(fabric)
            proposed = [
                one
                for one in self.found_then
                if one.edits and one.id not in known and one.vlans and not one.vlans & ~vlans.bits
            ]
            if not proposed:
                break
            known |= {one.id for one in proposed}
            now = _with(now, [edit for one in proposed for edit in one.edits])
            fabric = _resolved(now)
        return now

    # --- harm ---

    def harm(
        self, done: Comparison, goals: Iterable[Goal], cures: FindingsMeant | None = None
    ) -> str:
        """What harm edits do besides what goals, and `cures` of findings, ask for; "" if none."""
        meant = _Meant(list(goals), self.campus)
        kept = [effect for effect in done.effects if effect.gained or not meant.covers(effect)]
        contradicting = "; ".join(one.says for one in done.new if one.rule in _CONTRADICTING)
        harm = self.trier.harm_in(replace(done, effects=kept), findings=False, meant=cures)
        return harm or contradicting

    def harmless(self, goals: list[Goal]) -> list[Goal]:
        """The goals that do no harm, tried one after the other; the others get the reason."""
        kept: list[Goal] = []
        for goal in goals:
            chosen = [*kept, goal]
            edits = self.edits_of(chosen)
            if goal.says:
                continue
            harm = self.harm(self.trier.compared(edits), chosen)
            if harm:
                goal.says = f"its edits do harm: {harm}"
                goal.edits = []
            else:
                kept = chosen
        return kept


def _contradict(goals: list[Goal], campus: Campus) -> None:
    """Goals that put one port into two VLANs cannot both be met: neither is tried."""
    owner: dict[tuple[str, str], Goal] = {}
    for goal in goals:
        for port in placed(goal.planned.on or (), campus.devices).ports:
            other = owner.setdefault(port, goal)
            if other is not goal:
                says = f"the plan has {':'.join(port)} in VLAN {other.vid} and in VLAN {goal.vid}"
                goal.says = goal.says or says
                other.says = other.says or says


def _resolved(campus: Campus) -> Fabric:
    return resolve(campus, wire(campus))


def _with(campus: Campus, edits: Iterable[Edit]) -> Campus:
    edits = together(edits)
    return apply(campus, edits) if edits else campus


def _is_about(edit: Edit, vid: int) -> bool:
    vids = vids_of(edit)
    return vids is None or vid in vids


def _planned_name(edit: Edit, goal: Goal) -> Edit:
    """A new row of a VLAN gets the name that the plan has."""
    if not (edit.kind is Kind.VLAN and edit.whole and edit.after is not None and goal.planned.name):
        return edit
    named = replace(edit.after, name=Fact(goal.planned.name, goal.planned.origin))
    return Edit(*edit.place, edit.before, named)


# --- a VLAN on its switches and ports -------------------------------------------------------------


class _Placing:
    """Where a VLAN belongs, on a campus."""

    def __init__(self, fabric: Fabric, goal: Goal) -> None:
        self.fabric = fabric
        self.goal = goal
        self.vid = goal.vid
        self.meant: Placed = placed(goal.planned.on or (), fabric.campus.devices)

    def rows(self) -> Iterator[Edit]:
        for name in (*self.meant.everywhere, *(self.goal.planned.gateways or ())):
            if name in self.fabric.campus.devices:
                for edit in defined(self.fabric.campus, self.fabric.device(name), self.vid):
                    yield _planned_name(edit, self.goal)

    def ports(self) -> Iterator[Edit]:
        """Ports that are not in the VLAN are put into it."""
        for (switch, name), by_name in self.meant.ports.items():
            end = self.fabric.end_of(switch, name)
            resolved = self.fabric.ports[end]
            if end in self.fabric.wiring.of:
                if by_name:
                    self.goal.says = f"{end} leads to another switch"
                continue
            if self.vid in (vlan_of(resolved), resolved.completed.voice_vlan):
                continue
            port = resolved.stated
            if resolved.mode is Mode.ACCESS:
                yield of_port(end.device, port, "access_vlan", self.vid)
            elif resolved.mode is Mode.GENERAL and not resolved.free.emit & ~resolved.free.untagged:
                yield of_port(end.device, port, "pvid", self.vid)
                yield of_port(end.device, port, "untagged", VlanSet.of(self.vid))
            else:
                self.goal.says = f"{end} is no port for one VLAN: it is {resolved.mode.value}"

    # --- gateways ---

    def gateways(self) -> Iterator[Edit]:
        wanted = self.goal.planned.gateways
        if wanted is None:
            return
        for name, address in wanted.items():
            device = self.fabric.campus.devices.get(name)
            if device is None:
                self.goal.says = f"no switch is called {name}"
                return
            fact = Fact(address, self.goal.planned.origin)
            yield from self._gateway(device, fact)
        for device in self.fabric.campus.devices.values():
            if device.name not in wanted:
                yield from gateways_gone(device, self.vid)

    def _gateway(self, device: Device, address: Fact[Address]) -> Iterator[Edit]:
        """The address of a switch in the VLAN: that of a gateway, or of a sub-interface."""
        for name, gateway in gateways_in(device, self.vid):
            if not gateway.on:
                state = Fact(True, gateway.origin)
                yield Edit(device.name, Kind.GATEWAY, name, "enabled", gateway.enabled, state)
            yield from _address(device.name, Kind.GATEWAY, name, gateway, address)
            return
        subs = _subs(device)
        for port in subs:
            if port.outer is not None and port.outer.value == self.vid:
                yield from _address(device.name, Kind.PORT, port.name, port, address)
                return
        bridge = self.fabric.bridge_of.get((device.name, ""))
        if bridge is not None and not self.fabric.bridges[bridge].routed and not subs:
            name = _gateway_name(device, self.vid)
            new = Gateway(self.vid, device.origin, addresses=(address,), name=name)
            yield Edit(device.name, Kind.GATEWAY, f"VLAN {self.vid}", "", None, new)
            return
        yield from self._sub(device, subs, address)

    def _sub(self, device: Device, subs: list[Port], address: Fact[Address]) -> Iterator[Edit]:
        """One more sub-interface of a router, named as the others are."""
        parents = {port.parent.value for port in subs if port.parent is not None}
        named_by_tag = all(
            port.outer is not None
            and port.parent is not None
            and port.name == f"{port.parent.value}.{port.outer.value}"
            for port in subs
        )
        if len(parents) != 1 or not named_by_tag:
            self.goal.says = f"how is {device.name} to route VLAN {self.vid}? give it the gateway"
            return
        [parent] = parents
        name = f"{parent}.{self.vid}"
        new = Port(
            name,
            device.ports[parent].origin,
            PortKind.SUB,
            parent=Fact(parent, device.origin),
            outer=Fact(self.vid, device.origin),
            mode=Fact(Mode.ROUTED, device.origin),
            addresses=(address,),
        )
        yield Edit(device.name, Kind.PORT, name, "", None, new)


def _gateway_name(device: Device, vid: int) -> str:
    """How a switch calls its gateway in a VLAN: as its others, with the VLAN's own number."""
    for other in device.gateways:
        if str(other.vid) in other.name:
            return other.name.replace(str(other.vid), str(vid))
    # In documents every interface has a name; in other files gateways go by their VLANs.
    named = any(port.origin.pointer for port in device.ports.values())
    return f"vlan-{vid}" if named and not device.gateways else ""


def _subs(device: Device) -> list[Port]:
    """The sub-interfaces of a router."""
    return [p for p in device.ports.values() if p.kind is PortKind.SUB and p.addresses]


def _address(
    switch: str, kind: Kind, name: str, thing: Gateway | Port, address: Fact[Address]
) -> Iterator[Edit]:
    """The address that an interface is to have, instead of those of its family that it has."""
    if any(fact.value == address.value for fact in thing.addresses):
        return
    family = address.value.version
    others = tuple(fact for fact in thing.addresses if fact.value.version != family)
    yield Edit(switch, kind, name, "addresses", thing.addresses, (*others, address))


def gateways_gone(device: Device, vid: int) -> Iterator[Edit]:
    """A switch without a gateway in a VLAN."""
    for name, gateway in gateways_in(device, vid):
        yield Edit(device.name, Kind.GATEWAY, name, "", gateway, None)
    for port in _subs(device):
        if port.outer is not None and port.outer.value == vid:
            yield Edit(device.name, Kind.PORT, port.name, "", port, None)


def _at_routers(fabric: Fabric, vid: int) -> Iterator[End]:
    """The ports of switches at which routers have a sub-interface in a VLAN."""
    for one in interfaces(fabric):
        if one.tag != vid:
            continue
        for number in fabric.bridges[one.bridge].ports:
            for far in fabric.wiring.around(fabric.bridge_ports[number].end):
                if far.device != one.device and (far.device, "") in fabric.bridge_of:
                    yield far


def _listing(fabric: Fabric, end: End, vid: int) -> Iterator[Edit]:
    """A port that passes a VLAN tagged."""
    resolved = fabric.ports[end]
    attribute = {Mode.TRUNK: "allowed", Mode.GENERAL: "tagged"}.get(resolved.mode)
    now: VlanSet = getattr(resolved.completed, attribute) if attribute else VlanSet.all()
    if attribute and vid not in now:
        yield of_port(end.device, resolved.stated, attribute, now | VlanSet.of(vid))


# --- a VLAN that belongs nowhere ------------------------------------------------------------------


def _port_without(fabric: Fabric, plan: Plan, end: End, vid: int) -> Iterator[Edit | End]:
    """A port without a VLAN; the port itself where nothing says where else it belongs."""
    resolved = fabric.ports[end]
    port, one = resolved.stated, VlanSet.of(vid)
    for attribute in ("allowed", "withheld", "tagged", "untagged", "forbidden", "prunable"):
        fact: Fact[VlanSet | None] | None = getattr(port, attribute)
        said = fact.value if fact is not None else None
        if said is not None and vid in said and said != VlanSet.all():
            yield of_port(end.device, port, attribute, said - one)
    if port.voice_vlan is not None and port.voice_vlan.value == vid:
        yield of_port(end.device, port, "voice_vlan", None)
    stated = {
        attribute: fact.value
        for attribute in ("access_vlan", "native_vlan", "pvid", "primary", "secondary")
        if (fact := getattr(port, attribute)) is not None
    }
    decides = {Mode.ACCESS: "access_vlan", Mode.TRUNK: "native_vlan", Mode.GENERAL: "pvid"}
    unused = plan.says.practice.unused
    for attribute, value in stated.items():
        if value != vid:
            continue
        if attribute == "access_vlan" and unused is not None and unused.vlan not in (None, vid):
            yield of_port(end.device, port, attribute, unused.vlan)
            if unused.shut and resolved.mode is Mode.ACCESS and port.on:
                yield of_port(end.device, port, "enabled", False)
        elif decides.get(resolved.mode) != attribute and attribute not in ("primary", "secondary"):
            # What decides nothing in the mode of the port goes, so that no trace is left.
            yield Edit(end.device, Kind.PORT, port.name, attribute, getattr(port, attribute), None)
        else:
            yield end


# --- what is meant --------------------------------------------------------------------------------


class _Meant:
    """What goals take away themselves: the reach of ports that they move, of VLANs that belong
    nowhere, and by routers of VLANs without a gateway.
    """

    def __init__(self, goals: list[Goal], campus: Campus) -> None:
        self.gone = VlanSet.from_vids(g.vid for g in goals if g.planned.on == [])
        self.moved: set[tuple[str, str]] = set()
        for goal in goals:
            self.moved |= {*placed(goal.planned.on or (), campus.devices).ports}
            for edit in goal.edits:
                if edit.kind is Kind.PORT and edit.attribute == "access_vlan":
                    self.moved.add((edit.switch, edit.name))
        self.not_routed = self.gone | VlanSet.from_vids(
            g.vid for g in goals if g.planned.gateways == {}
        )

    def covers(self, effect: Effect) -> bool:
        sides = (effect.sources.vlans.bits, effect.targets.vlans.bits)
        if any(side and not side & ~self.gone.bits for side in sides):
            return True
        if effect.layer.value == 3 and any(side & ~self.not_routed.bits == 0 for side in sides):
            return True
        return any(
            all((seat.switch, seat.port) in self.moved for seat in seats)
            for seats in (effect.row.sources, effect.row.targets)
        )
