"""Why one place does not reach another: the cause first, the smallest change, what it would do
besides, whom the cause concerns as well, and what was looked at and is all right.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator

from msgspec import Struct, field

from inkov.campus import Host, Origin
from inkov.checks import Finding, audit
from inkov.edits import Edit, Kind
from inkov.effects.aside import Aside
from inkov.effects.effect import Effect
from inkov.effects.stories import stories
from inkov.effects.words import story_in_words
from inkov.forwarding import Fabric
from inkov.forwarding.ping import Ping
from inkov.forwarding.stations import interfaces
from inkov.mend.apart import Apart, kept_apart
from inkov.mend.causes import cause_of, host_that_belongs, place_of
from inkov.mend.judged import Judged
from inkov.mend.proposals import vid_of
from inkov.mend.tickets import Answer, Ticket
from inkov.mend.trial import trial
from inkov.plan import Plan
from inkov.vlanset import VlanSet, bit, bits_to_text, union
from inkov.wiring import End
from inkov.words import counted

_MOST_CURES = 30  # of findings that are tried
_MANY = 200  # switches, from which on a second process pays

__all__ = ["Cause", "Fine", "Why", "why"]


class Cause(Struct):
    """What is wrong, where that is said, and the finding of an audit that says so, if one does.
    `absent`: nothing says it, so the place is that of what does not.
    """

    says: str
    origin: Origin
    rule: str = ""
    finding: str = ""
    absent: bool = False


class Fine(Struct):
    """Something that was looked at, and is all right."""

    says: str
    origin: Origin


class Why(Struct):
    """An answer to a ticket. `causes` in the order of the way; with several all of them must be
    cured. `change` are the edits, `smallest` if no fewer do, as far as is known; `opens` and
    `loses` what they do besides, in words; `otherwise` what could be meant instead. `ports` are the
    host ports that they serve. `says` is what stops it; `ping` tells both ways, hop by hop; `rests`
    is what the answer rests on. `apart` says what keeps the two apart on purpose; `found` is what
    an audit finds at their ports, where no change is known.
    """

    works: bool
    now: bool
    causes: list[Cause] = field(default_factory=list)
    change: list[Edit] = field(default_factory=list)
    smallest: bool = True
    opens: list[str] = field(default_factory=list)
    loses: list[str] = field(default_factory=list)
    ports: list[str] = field(default_factory=list)
    says: str = ""
    origin: Origin = Origin()
    fine: list[Fine] = field(default_factory=list)
    rests: list[str] = field(default_factory=list)
    otherwise: list[str] = field(default_factory=list)
    ping: Ping | None = None
    undecided: str = ""
    apart: list[Apart] = field(default_factory=list)
    found: list[Finding] = field(default_factory=list)


def why(fabric: Fabric, plan: Plan, one: Host, other: Host) -> Why:
    """The answer to: why does the one not reach the other?"""
    ticket = Ticket(fabric, one, other)
    state = ticket.before
    result = Why(state.works, state.by_tree, fine=list(_fine(fabric, state, one, other)))
    result.rests = [*state.notes, *dict.fromkeys(state.ping.assumes), *_twice(fabric, one, other)]
    result.rests += _unread(fabric)
    result.ping = state.ping
    failing = state.failing
    # The first need that fails is what stops it.
    if failing is not None:
        result.says, result.origin = failing.says, failing.origin
        for step in failing.steps[-1:]:
            result.says = f"{failing.says}: {step.because}" if step.because else failing.says
    # It works: nothing to find out.
    if state.works:
        return result
    # What an audit says of the causes is worked out beside, on a large campus.
    aside = Aside(lambda: audit(fabric, plan).findings, long=len(fabric.campus.devices) >= _MANY)
    result.apart = list(kept_apart(fabric, plan, one, other))
    answer = ticket.answer() if not result.apart else Answer(state)
    findings = aside.result()
    # No edits of its own: perhaps those of a finding near by.
    if answer.cured is None and not result.apart:
        answer = ticket.cured_by(_near(findings, fabric, (one, other)))
    result.smallest = answer.smallest
    # A cure tells the causes; without one what an audit finds at the two.
    if answer.cured is not None:
        _cure(result, fabric, plan, answer, (one, other))
        _causes(result, fabric, answer, (one, other), findings)
    elif not result.apart:
        result.found = list(_at_hosts(findings, (one, other)))
    return result


def _at_hosts(findings: list[Finding], pair: tuple[Host, Host]) -> Iterator[Finding]:
    """What an audit finds wrong at the ports of two hosts, which somebody has to decide."""
    ends = {(host.device, host.port) for host in pair}
    for finding in findings:
        # A place of the finding is one of the two ports.
        if ends & {(where.switch, where.port) for where in finding.where}:
            yield finding


def _near(findings: list[Finding], fabric: Fabric, pair: tuple[Host, Host]) -> list[list[Edit]]:
    """The cures of findings about the switches or the VLANs of two hosts, the small ones first; of
    hosts of two VLANs then those of others, which may lie between their routers.
    """
    switches = {host.device for host in pair}
    own = {vid_of(fabric, host) for host in pair}
    vids = union(map(bit, own))
    near: list[list[Edit]] = []
    between: list[list[Edit]] = []
    for finding in findings:
        about = finding.vlans & vids or any(where.switch in switches for where in finding.where)
        if finding.edits:
            (near if about else between).append(list(finding.edits))
    cures = sorted(near, key=len)[:_MOST_CURES]
    return cures + sorted(between, key=len)[:_MOST_CURES] if len(own) > 1 else cures


def _cure(result: Why, fabric: Fabric, plan: Plan, answer: Answer, pair: tuple[Host, Host]) -> None:
    """What to change, and what that does."""
    assert answer.cured is not None
    one, other = pair
    result.change = answer.edits
    done = trial(fabric, answer.cured, plan)
    meant = union(1 << vid_of(answer.cured, host) for host in (one, other))
    result.opens = list(_in_words(done.crossing(meant), fabric))
    result.loses = list(_in_words(done.lost, fabric))
    end = answer.cured.end_of(other.device, other.port)
    result.ports, result.undecided = done.serves(end), done.undecided


def _causes(
    result: Why,
    fabric: Fabric,
    answer: Answer,
    pair: tuple[Host, Host],
    findings: list[Finding],
) -> None:
    """What is wrong, by the edits that cure it, and which finding of an audit says so."""
    told: set[str] = set()
    for host in filter(None, (host_that_belongs(fabric, edit) for edit in answer.edits)):
        says = f"or {host.name} is meant to be where it is: then it needs an address of that VLAN"
        if says not in result.otherwise:
            result.otherwise.append(says)
    for edit in answer.edits:
        says = cause_of(fabric, edit)
        # Nothing tells which of the two is wrong: told as such.
        if _moves_one_of(edit, pair) and host_that_belongs(fabric, edit) is None:
            says = _in_two(fabric, pair)
            result.otherwise = ["or the other one is in the wrong VLAN, or a router is meant there"]
        # Several edits may have one cause.
        if says in told:
            continue
        told.add(says)
        place = place_of(fabric.campus, edit)
        cited = _cited(findings, edit, place)
        rule, identity = (cited.rule, cited.id) if cited is not None else ("", "")
        absent = edit.before is None
        result.causes.append(Cause(says, place, rule, identity, absent))


def _moves_one_of(edit: Edit, pair: tuple[Host, Host]) -> bool:
    """Whether an edit puts one of two places into another VLAN."""
    return (
        edit.kind is Kind.PORT
        and edit.attribute in ("access_vlan", "pvid", "untagged")
        and any((host.device, host.port) == (edit.switch, edit.name) for host in pair)
    )


def _in_two(fabric: Fabric, pair: tuple[Host, Host]) -> str:
    """That two places are in two VLANs, where nothing tells in which they belong."""
    one, other = pair
    return f"{one.name} is {_vlan_of(fabric, one)}, and {other.name} {_vlan_of(fabric, other)}"


def _vlan_of(fabric: Fabric, host: Host) -> str:
    vid = vid_of(fabric, host)
    if vid:
        return f"in VLAN {vid}"
    resolved = fabric.ports.get(fabric.end_of(host.device, host.port))
    # The port names a VLAN that its switch does not have.
    if resolved is not None and resolved.free.emit:
        vids = bits_to_text(resolved.free.emit)
        return f"in VLAN {vids}, which {host.device} does not have"
    return "in no VLAN"


def _in_words(effects: list[Effect], fabric: Fabric) -> Iterator[str]:
    """What is gained or lost, in words."""
    names = {
        vid: row.name.value
        for device in reversed(fabric.campus.devices.values())
        for vid, row in (device.vlans or {}).items()
        if row.name is not None
    }
    for story in stories(effects):
        if not story[0].follows:
            yield story_in_words(story, lambda vid: names.get(vid, ""))


def _cited(findings: list[Finding], edit: Edit, place: Origin) -> Finding | None:
    """The finding that says what an edit cures, the gravest of those that say it best. `place` is
    the line to look at.
    """
    ranked = [(rank, finding) for finding in findings if (rank := _rank(finding, edit, place))]
    return min(ranked, key=lambda pair: pair[0])[1] if ranked else None


def _rank(finding: Finding, edit: Edit, place: Origin) -> int:
    """How well a finding says what an edit cures, 1 best; 0 if it is about something else."""
    # A host's own settings are found by rules about hosts.
    if edit.kind is Kind.HOST:
        own = finding.rule.startswith(("host-", "mask-"))
        return int(own and edit.name in finding.affects.hosts)
    vids = _vids_of(edit)
    at_port = edit.kind is Kind.PORT
    there = [
        where
        for where in finding.where
        if where.switch == edit.switch and (not at_port or where.port == edit.name)
    ]
    if not there:
        return 0
    if any(own.place == edit.place for own in finding.edits):
        return 1
    if finding.vlans & vids:
        return 2
    # An edit of no VLAN in particular: what is found in that very line, or else at that port.
    if at_port and not vids:
        return 3 if any(where.origin == place for where in there) else 4 * bool(finding.vlans)
    return 0


def _vids_of(edit: Edit) -> int:
    """The VLANs that an edit is about, as a mask; 0 for none in particular."""
    if edit.kind in (Kind.VLAN, Kind.GATEWAY):
        numbers = [word for word in edit.name.split() if word.isdigit()]
        # The number stands in the name of the row or gateway.
        return 1 << int(numbers[0]) if numbers else 0
    values = [getattr(side, "value", side) for side in (edit.before, edit.after)]
    sets = [value.bits for value in values if isinstance(value, VlanSet)]
    if len(sets) == 2:
        return sets[0] ^ sets[1]
    return sets[0] if sets else 0


# --- what is all right ----------------------------------------------------------------------------


def _fine(fabric: Fabric, state: Judged, one: Host, other: Host) -> Iterator[Fine]:
    for host in (one, other):
        resolved = fabric.ports.get(End(host.device, host.port))
        # A port that is shut is what is wrong.
        if resolved is not None and resolved.stated.on:
            at = f"{host.device}:{host.port}"
            whose = f"the port of {host.name}, {at}," if at != host.name else at
            yield Fine(f"{whose} is up", resolved.stated.origin)
        yield from _masks(fabric, host)
    for part in state.ping.parts:
        # Needs that are met.
        if part.holds:
            yield Fine(f"{part.name}: {part.says}", part.origin)
    if state.by_tree and state.works:
        yield Fine("the spanning tree lets it through", Origin())


def _masks(fabric: Fabric, host: Host) -> Iterator[Fine]:
    """Whether a host's mask is that of the router that has its subnet."""
    # No mask to be right.
    if host.address is None:
        return
    for interface in interfaces(fabric):
        for fact in interface.addresses:
            # The first router with the subnet is enough.
            if fact.value.network == host.address.network:
                yield Fine(f"the mask of {host.name} is that of {interface.label}", fact.origin)
                return


def _unread(fabric: Fabric) -> Iterator[str]:
    """What of the input is not known: an answer may hang on it."""
    problems, lines = fabric.campus.problems, len(fabric.campus.unmatched)
    # What was not read may be the answer.
    if problems:
        count = counted(len(problems), "problem")
        yield f"{count} with the input: {problems[0].says.splitlines()[0]}"
    if lines:
        yield f"{counted(lines, 'line')} that may have to do with VLANs not understood"


def _twice(fabric: Fabric, one: Host, other: Host) -> Iterator[str]:
    """Addresses that somebody else has as well."""
    for host in (one, other):
        # Nobody can have it as well.
        if host.address is None:
            continue
        others: Iterable[str] = [
            *(
                third.name
                for third in fabric.campus.hosts
                if third.name != host.name
                and third.address is not None
                and third.address.ip == host.address.ip
            ),
            *(
                interface.label
                for interface in interfaces(fabric)
                if any(fact.value.ip == host.address.ip for fact in interface.addresses)
            ),
        ]
        for name in others:
            yield f"{host.name} and {name} have the same address, {host.address.ip}"
