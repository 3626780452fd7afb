"""Making the plan true: switches behind others (`uplinks`), and the VLANs that it places (`on`,
`gateways`), end to end.

## Theory of operation

What the plan says of one uplink or VLAN is a goal. The edits come about in steps, each on the
campus with the edits before it:

0. switches that are behind others: cables and trunks (`behind`);
1. what is said of single switches: rows of tables, ports, gateways; for a VLAN that belongs
   nowhere, all that is left of it;
2. the ways between these switches, on every redundant way (`spread`), and to switches that are
   behind others;
3. what an audit finds then of these VLANs that it did not find before, as far as its rules propose
   edits (a link that nobody needs any more, say): a few rounds, until nothing more is found.

Then what else the plan says is made true, as far as audit finds that it is not (`_OF_PLAN`): names,
the port plan, native VLANs, unused ports.

All of it is tried on the whole campus. It does harm if somebody is cut off whom the plan does not
take out, if frames get to another segment, or if a claim breaks. Then the goals are tried one after
the other, and those that do harm are left out.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable
from datetime import date
from functools import cached_property

from msgspec.structs import replace

from inkov.campus import Campus
from inkov.checks import Finding
from inkov.checks import audit as run_audit
from inkov.checks.uplinks import ends_of
from inkov.edits import Edit, Kind, apply, difference, vids_of
from inkov.edits.make import row_gone
from inkov.effects import Comparison, Effect
from inkov.forwarding import Fabric, resolve
from inkov.levels import Layer, Level
from inkov.mend.behind import as_trunks, carried, contradict, plugged
from inkov.mend.findings import Mended, Trier, mend_findings, together
from inkov.mend.goals import Goal, Uplink, VlanPlaced, planned_name
from inkov.mend.meant import Meant as FindingsMeant
from inkov.mend.placing import Placing, at_routers, gateways_gone, listing, port_without
from inkov.mend.spread import spread
from inkov.plan import Plan, placed
from inkov.vlanset import VlanSet
from inkov.wiring import End, wire
from inkov.words import listed

__all__ = ["mend_plan"]

_ROUNDS = 5
_SHOWN = 4  # ports that are told one by one
_CONTRADICTING = frozenset(
    {
        *("address-used-twice", "subnets-overlap", "vlan-reserved", "vlan-routed-against-plan"),
        *("gateway-subnets-differ", "loop-unguarded"),
    }
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
_MISPLACED = ("vlan-placed-otherwise", "vlan-planned-absent", "uplink-against-plan")
"""Rules that find what is not as the plan says: a goal is met where they find nothing of it."""


def mend_plan(campus: Campus, plan: Plan, today: date) -> tuple[list[Goal], Mended]:
    """The edits that make true what a plan says, and what they do besides. Goals that cannot be met
    are left out, each with the reason.
    """
    work = _Work(campus, plan, today)
    goals, edits, done = _placed(work)
    now = _with(campus, edits)
    findings = [
        finding for finding in work.found_then if finding.rule in _OF_PLAN and finding.edits
    ]
    more = mend_findings(now, plan, findings, today)
    # Cures for what else the plan says.
    if more.edits:
        edits = difference(campus, apply(now, more.edits))
        done = work.trier.compared(edits, (Level.HONEST, Level.HOSTILE))
    # Nothing to do for VLANs and uplinks.
    if done is None:
        return goals, Mended(unmet=more.unmet)
    for goal in goals:
        # With edits that should meet it: is it so now?
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


def _placed(work: _Work) -> tuple[list[Goal], list[Edit], Comparison | None]:
    """The goals that place switches and VLANs, the edits that meet them without harm, and what
    these do.
    """
    says = work.plan.says
    goals: list[Goal] = [Uplink(near=near, planned=to) for near, to in says.uplinks.items()]
    goals += [
        VlanPlaced(vid=vid, planned=planned)
        for vid, planned in sorted(says.vlans.items())
        if planned.on is not None or planned.gateways is not None
    ]
    kept = list(goals)
    edits = work.edits_of(kept)
    done = work.trier.compared(edits, (Level.HONEST, Level.HOSTILE)) if edits else None
    # Harm: then one goal after the other.
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
        gone = {finding.id for finding in done.gone}
        left = [finding for finding in self.before if finding.id not in gone]
        for finding in [*left, *done.new, *done.worse]:
            # Found still, or found now: the goal is not met.
            if finding.rule in _MISPLACED and goal.is_missed_at(finding.where):
                return finding.says
        return ""

    # --- edits ---

    def edits_of(self, goals: list[Goal]) -> list[Edit]:
        """The edits for some goals together. Those that none are known for get the reason and are
        dropped from the list.
        """
        while True:
            edits = self._tried(goals)
            failed = [goal for goal in goals if goal.says]
            # Goals that cannot be met are left out, and the others tried anew.
            if not failed:
                return edits
            goals[:] = [goal for goal in goals if not goal.says]

    def _tried(self, goals: list[Goal]) -> list[Edit]:
        uplinks = [goal for goal in goals if isinstance(goal, Uplink)]
        vlans = [goal for goal in goals if isinstance(goal, VlanPlaced)]
        placing = [goal for goal in vlans if goal.planned.on != []]
        leaving = [goal for goal in vlans if goal.planned.on == []]
        _contradict(placing, self.campus)
        contradict(self.fabric, uplinks, placing)
        now, fabric = self.campus, self.fabric
        of_uplink: dict[str, list[Edit]] = {goal.near: [] for goal in uplinks}

        def make(edits: Iterable[Edit]) -> None:
            nonlocal now, fabric
            edits = list(edits)
            # Nothing to make: the campus stays as it is.
            if edits:
                now = _with(now, edits)
                fabric = _resolved(now)

        def make_uplinks(step: Callable[[Fabric, Plan, Uplink], list[Edit]]) -> None:
            open_ones = [goal for goal in uplinks if not goal.says]
            made = {goal.near: step(fabric, self.plan, goal) for goal in open_ones}
            for near, edits in made.items():
                of_uplink[near] += edits
            make(edit for edits in made.values() for edit in edits)

        make_uplinks(lambda now, _, goal: plugged(now, goal))
        make_uplinks(as_trunks)
        make(edit for goal in placing for edit in self._placed(fabric, goal))
        make(edit for goal in leaving for edit in self._taken_away(fabric, goal))
        make(edit for goal in placing for edit in self._joined(fabric, goal))
        make_uplinks(carried)
        # One of them failed: all are tried again without it.
        if any(goal.says for goal in goals):
            return []
        about = VlanSet.from_vids(goal.vid for goal in vlans)
        for edit in (edit for edits in of_uplink.values() for edit in edits):
            about |= vids_of(edit) or VlanSet()
        now = self._in_rounds(now, fabric, about, uplinks)
        edits = difference(self.campus, now)
        for goal in vlans:
            goal.edits = [edit for edit in edits if _is_about(edit, goal.vid)]
        for uplink in uplinks:
            places = {edit.place for edit in of_uplink[uplink.near]}
            uplink.edits = [edit for edit in edits if edit.place in places]
        return edits

    def _placed(self, fabric: Fabric, goal: VlanPlaced) -> list[Edit]:
        placing = Placing(fabric, goal)
        # A place in the plan that means nothing.
        if placing.meant.unknown:
            goal.says = "; ".join(placing.meant.unknown)
            return []
        edits = [*placing.rows(), *placing.ports(), *placing.gateways()]
        return [] if goal.says else edits

    def _taken_away(self, fabric: Fabric, goal: VlanPlaced) -> list[Edit]:
        """All that is left of a VLAN."""
        edits: list[Edit] = []
        members: list[End] = []
        for resolved in fabric.ports.values():
            for edit in port_without(fabric, self.plan, resolved.end, goal.vid):
                # A port that has nobody's other VLAN to go to.
                if isinstance(edit, End):
                    members.append(edit)
                else:
                    edits.append(edit)
        # Hosts would be cut off: the plan has to say where they belong.
        if members:
            names = listed(list(map(str, members)), _SHOWN)
            be = "is" if len(members) == 1 else "are"
            goal.says = f"{names} {be} in it: say in `on` of another VLAN where that belongs"
            return []
        for device in fabric.campus.devices.values():
            edits += [*gateways_gone(device, goal.vid), *row_gone(device, goal.vid)]
        return edits

    def _joined(self, fabric: Fabric, goal: VlanPlaced) -> list[Edit]:
        """The ways between the switches where a VLAN belongs, and those where it is in use."""
        members = {
            bridge
            for name, mask in self.plan.wanted(fabric.campus.devices).items()
            if mask >> goal.vid & 1
            and (bridge := fabric.bridge_of.get((name, ""))) is not None
            and not fabric.bridges[bridge].routed
        }
        to_routers = list(at_routers(fabric, goal.vid))
        members |= {fabric.bridge_of[end.device, ""] for end in to_routers}
        result = spread(fabric, members, goal.vid)
        goal.says = goal.says or result.says
        goal.smallest = result.smallest
        lists = [edit for end in to_routers for edit in listing(fabric, end, goal.vid)]
        return [*(planned_name(edit, goal) for edit in result.edits), *lists]

    def _in_rounds(
        self, now: Campus, fabric: Fabric, vlans: VlanSet, uplinks: list[Uplink]
    ) -> Campus:
        """With what an audit proposes then for these VLANs, and for the ends of new links. What
        such a link lets through stays as the plan states it.
        """
        known = {finding.id for finding in self.before}
        ends = _ends(uplinks, fabric)
        stated = {
            end: goal.planned.vlans
            for goal in uplinks
            if goal.planned.vlans is not None
            for end in _ends([goal], fabric)
        }

        def contradicts(finding: Finding) -> bool:
            for edit in finding.edits:
                own = stated.get((edit.switch, edit.name)) if edit.kind is Kind.PORT else None
                # More than is stated would pass there, or less.
                if own is not None:
                    then = getattr(edit.after, "value", None)
                    if finding.vlans & ~own.bits or (isinstance(then, VlanSet) and own - then):
                        return True
            return False

        for _ in range(_ROUNDS):
            unchanged = fabric is self.fabric
            # Nothing was edited: what was found before is found again.
            self.found_then = self.before if unchanged else self._audited(fabric)
            proposed = [
                finding
                for finding in self.found_then
                if finding.edits
                and finding.id not in known
                and not contradicts(finding)
                and (
                    (finding.vlans and not finding.vlans & ~vlans.bits)
                    or {(where.switch, where.port) for where in finding.where} <= ends
                )
            ]
            # Nothing more that edits could do.
            if not proposed:
                break
            known |= {finding.id for finding in proposed}
            now = _with(now, [edit for finding in proposed for edit in finding.edits])
            fabric = _resolved(now)
        return now

    # --- harm ---

    def harm(
        self, done: Comparison, goals: Iterable[Goal], cures: FindingsMeant | None = None
    ) -> str:
        """What harm edits do besides what goals, and `cures` of findings, ask for; "" if none."""
        meant = _Meant(list(goals), self.fabric)
        kept = [effect for effect in done.effects if effect.gained or not meant.covers(effect)]
        contradicting = "; ".join(
            finding.says for finding in done.new if finding.rule in _CONTRADICTING
        )
        harm = self.trier.harm_in(replace(done, effects=kept), findings=False, meant=cures)
        return harm or contradicting

    def harmless(self, goals: list[Goal]) -> list[Goal]:
        """The goals that do no harm, tried one after the other; the others get the reason."""
        kept: list[Goal] = []
        for goal in goals:
            chosen = [*kept, goal]
            # It turned out that it cannot be met with these.
            edits = self.edits_of(chosen)
            if goal.says:
                continue
            harm = self.harm(self.trier.compared(edits), chosen)
            # It harms with those before: left out.
            if harm:
                goal.says = f"its edits do harm: {harm}"
                goal.edits = []
            else:
                kept = chosen
        return kept


def _ends(uplinks: list[Uplink], fabric: Fabric) -> set[tuple[str, str]]:
    """The ports at both ends of uplinks."""
    ports: set[tuple[str, str]] = set()
    for goal in uplinks:
        ends, _ = ends_of(fabric, goal.near, goal.planned.to)
        ports |= {(end.device, end.port) for end in ends or ()}
    return ports


def _contradict(goals: list[VlanPlaced], campus: Campus) -> None:
    """Goals that put one port into two VLANs cannot both be met: neither is tried."""
    owner: dict[tuple[str, str], VlanPlaced] = {}
    for goal in goals:
        for port in placed(goal.planned.on or (), campus.devices).ports:
            known = owner.setdefault(port, goal)
            # Two VLANs claim one port.
            if known is not goal:
                says = f"the plan has {':'.join(port)} in VLAN {known.vid} and in VLAN {goal.vid}"
                goal.says = goal.says or says
                known.says = known.says or says


def _resolved(campus: Campus) -> Fabric:
    return resolve(campus, wire(campus))


def _with(campus: Campus, edits: Iterable[Edit]) -> Campus:
    edits = together(campus, edits)
    return apply(campus, edits) if edits else campus


def _is_about(edit: Edit, vid: int) -> bool:
    vids = vids_of(edit)
    return vids is None or vid in vids


class _Meant:
    """What goals take away themselves: the reach of ports that they move, or use as uplinks, of
    VLANs that belong nowhere, and by routers of VLANs without a gateway.
    """

    def __init__(self, goals: list[Goal], fabric: Fabric) -> None:
        vlans = [goal for goal in goals if isinstance(goal, VlanPlaced)]
        self.gone = VlanSet.from_vids(goal.vid for goal in vlans if goal.planned.on == [])
        # A port that leads to a switch behind is no place for a host any more.
        self.moved = _ends([goal for goal in goals if isinstance(goal, Uplink)], fabric)
        for goal in vlans:
            self.moved |= {*placed(goal.planned.on or (), fabric.campus.devices).ports}
            for edit in goal.edits:
                # A port that is moved loses its old VLAN: that is meant.
                if edit.kind is Kind.PORT and edit.attribute == "access_vlan":
                    self.moved.add((edit.switch, edit.name))
        self.not_routed = self.gone | VlanSet.from_vids(
            goal.vid for goal in vlans if goal.planned.gateways == {}
        )

    def covers(self, effect: Effect) -> bool:
        # All of a side goes with its VLAN; packets with its gateways.
        gone = self.not_routed if effect.layer is Layer.PACKETS else self.gone
        if any(not side & ~gone.bits for side in effect.vids):
            return True
        return any(
            all((seat.switch, seat.port) in self.moved for seat in seats)
            for seats in (effect.row.sources, effect.row.targets)
        )
