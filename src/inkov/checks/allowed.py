"""Allowed lists: what each end of a trunk lets through, one end against the other and against what
is needed.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator

from inkov.campus import Accept, Mode, Private
from inkov.checks.catalogue import Found, Severity, Where, finding, rule
from inkov.checks.causes import LinkFails
from inkov.checks.site import EVERYTHING, Joined, Site
from inkov.edits import Edit
from inkov.edits.make import allowing, of_port
from inkov.forwarding import Resolved
from inkov.forwarding.reach import owned_tags
from inkov.forwarding.reasons import why_stopped
from inkov.vlanset import VlanSet, bits_to_text, union
from inkov.wiring import End
from inkov.words import agree, both, counted, listed

__all__ = ["with_list"]

_FAMILY = "Allowed lists"


@rule(
    "list-replaced",
    family=_FAMILY,
    severity=Severity.RISK,
    what="a list of VLANs is stated twice for one port, and the second list replaced the first",
    why=(
        "who writes a second list usually means to add: the VLANs of the first one are gone, and"
        " nothing complained"
    ),
    cure="state one list that holds both, or take the first one away if it is not meant",
    example=(
        "line 12 lets core-1 port 3 pass 10,20, line 19 says 30: VLANs 10 and 20 do not cross any"
        " more"
    ),
    says={
        "gone": (
            "{end} lists VLAN {before} first and {after} later: the later list replaced the first,"
            " and VLAN {lost} is gone"
        ),
        "missed": "; of these, VLAN {missed} is needed there",
    },
    fix="state one list at {end}: {whole}, if the second was meant to add",
)
def list_replaced(site: Site) -> Iterator[Found]:
    for device in site.devices:
        for change in device.overridden:
            # A port that is gone by the end of the file has no list.
            if change.attribute not in ("allowed", "tagged") or change.port not in device.ports:
                continue
            before, after = VlanSet.parse(change.before), VlanSet.parse(change.after)
            lost = before - after
            # Only what is lost is a mistake; from everything to a list is what lists are for.
            if not lost or before == EVERYTHING:
                continue
            resolved = site.resolved(End(device.name, change.port))
            missed = _missed(site, resolved, lost)
            yield finding(
                {
                    "end": resolved.end,
                    "before": before,
                    "after": after,
                    "lost": lost,
                    "missed": bits_to_text(missed),
                    "whole": before | after,
                },
                case=("gone", "missed") if missed else "gone",
                where=(
                    Where(device.name, change.port, None, change.old),
                    Where(device.name, change.port, None, change.new),
                ),
                severity=Severity.FAULT if missed else None,
                vlans=missed,
                about=lost.bits,
                cause=LinkFails(site.fabric.wiring.of[resolved.end][0]) if missed else None,
            )


def _missed(site: Site, resolved: Resolved, lost: VlanSet) -> int:
    needs = union(site.needs[number] for number in site.link_numbers.get(resolved.end, ()))
    return needs & lost.bits


_ALLOWED_HERE = "{a} allows VLAN {vids} and {b} does not"
_CUT_OFF = "VLAN {vid} of {switches} is cut off"
_CUT_NOW = (
    "the spanning tree takes this link and blocks {blocked}, so that VLAN {vids} of {switches} is"
    " cut off now"
)


@rule(
    "allowed-differs",
    family=_FAMILY,
    severity=Severity.FAULT,
    what="the two ends of a trunk allow different VLANs",
    why=(
        "a VLAN crosses only if both ends allow it: what one end sends, the other drops without a"
        " word"
    ),
    cure="allow what is needed on both sides at the end that lacks it, and the rest at neither",
    example=(
        "core-1 port 3 allows 10,20,30 and gate-1 port 1 only 10,20, though both define VLAN 30"
    ),
    says={"differ": "{differences}", "lost": ": {lost}"},
    fix={
        "needed": "allow {wanted}",
        "rest": "{then}take VLAN {rest} off the list of {having}, or allow it at {lacking}",
    },
)
def allowed_differs(site: Site) -> Iterator[Found]:
    for joined in site.trunk_links:
        a, b = joined.a, joined.b
        differ = _differing(site, joined)
        # Nothing differs that both have; and a cable within one switch has one list.
        if not differ or a.end.device == b.end.device:
            continue
        parts = [
            _ALLOWED_HERE.format(a=end.end, vids=missing, b=far_end.end)
            for end, far_end in ((a, b), (b, a))
            if (missing := end.allowed & differ)
        ]
        lost, among = _lost(site, joined, differ)
        # What has members on both sides is wanted; the rest may have been meant some day, and
        # serves nobody until then.
        needs = VlanSet(
            differ.bits & (site.perhaps_needs[joined.number] | _cut(site, joined) | site.private)
        )
        wanted = [
            f"VLAN {missing} at {far_end.end}"
            for end, far_end in ((a, b), (b, a))
            if (missing := end.allowed & needs)
        ]
        rest = differ - needs
        having, lacking = (a, b) if a.allowed & rest else (b, a)
        # The VLANs that are left differ at both ends: neither end has the whole list.
        mixed = bool(rest - having.allowed)
        lighter = Severity.RISK if wanted else Severity.NOTE
        yield finding(
            {
                "differences": "; ".join(parts),
                "lost": "; ".join(lost[:4]),
                "wanted": both(wanted),
                "then": "; " if wanted else "",
                "rest": rest,
                "having": both([a.end, b.end]) if mixed else having.end,
                "lacking": both([a.end, b.end]) if mixed else lacking.end,
            },
            case=(
                "differ",
                *(["lost"] if lost else []),
                *(["needed"] if wanted else []),
                *(["rest"] if rest else []),
            ),
            severity=None if lost else lighter,
            among=among,
            where=(site.places.of(a, "allowed"), site.places.of(b, "allowed")),
            assumes=site.places.assumed_for((a, "allowed"), (b, "allowed")),
            vlans=differ.bits & site.served_anywhere,
            about=differ.bits,
            cause=LinkFails(joined.link),
            # With a general port the list is its membership.
            edits=[
                edit
                for r in (a, b)
                for edit in with_list(r, (r.allowed - rest) | (needs if wanted else VlanSet()))
            ],
        )


def _lost(site: Site, joined: Joined, differ: VlanSet) -> tuple[list[str], set[str] | None]:
    """What is lost where the lists of a link differ, in words, and the switches that lose it; None
    for nobody.
    """
    lost = [text for vid in differ for text in _loses(site, joined, vid)]
    among = _cut_devices(site, joined) if lost else None
    # The tree takes this link although it lacks the VLAN: cut off now, not some day.
    cut = site.cut_by_tree.get(joined.number)
    if cut is not None and cut.vlans & differ.bits:
        vids, blocked = bits_to_text(cut.vlans & differ.bits), cut.blocked
        lost.append(
            _CUT_NOW.format(
                blocked=f"{blocked.a} to {blocked.b}",
                vids=vids,
                switches=listed(list(cut.switches)),
            )
        )
        among = {*(among or ()), *cut.switches}
    return lost, among


def _differing(site: Site, joined: Joined) -> VlanSet:
    """The VLANs that one end of a trunk link allows and the other does not, though both switches
    have them.
    """
    a, b = joined.a, joined.b
    differ = a.allowed ^ b.allowed
    for end in (a, b):
        table = site.defined(end.end.device)
        differ = differ if table is None else differ & table
        differ -= VlanSet(owned_tags(site.fabric, end.end))  # a sub-interface takes these
        native = end.native  # it has rules of its own
        differ = differ - VlanSet.of(native) if native else differ
    # A VLAN that one switch does not have is another finding.
    if EVERYTHING in (a.allowed, b.allowed):
        # The list left at everything is a finding of its own; here only what is in fact cut counts.
        differ = VlanSet.from_vids(v for v in differ if site.split >> v & 1)
    return differ


def _cut(site: Site, joined: Joined) -> int:
    """The VIDs of those whom the link cuts off, as a mask."""
    return union(
        1 << vid for vid, gaps in site.breaks.items() if any(g.link is joined.link for g in gaps)
    )


def _cut_devices(site: Site, joined: Joined) -> set[str]:
    """The switches that the link cuts off from a VLAN."""
    gaps = (gap for parts in site.breaks.values() for gap in parts if gap.link is joined.link)
    return {name for gap in gaps for name in gap.other.devices(site.fabric)}


def _loses(site: Site, joined: Joined, vid: int) -> Iterator[str]:
    """Who is cut off from a VLAN by a link that does not pass it."""
    for gap in site.breaks.get(vid, ()):
        if gap.link is joined.link:
            yield _CUT_OFF.format(vid=vid, switches=listed(gap.other.devices(site.fabric)))


@rule(
    "needed-vlan-missing",
    family=_FAMILY,
    severity=Severity.FAULT,
    what=(
        "a VLAN has members on both sides of a trunk, and neither end lets it through, nor does"
        " another way"
    ),
    why=(
        "its members on the two sides are cut off from each other: usually a switch was added"
        " behind an old one, and nobody went back to widen the list"
    ),
    cure="allow the VLAN at both ends of the trunk",
    example=(
        "core-1 and pond-1 have ports in VLAN 60, and the trunk between them allows 40,90 at both"
        " ends"
    ),
    says={
        "trunk": "the trunk between {a} and {b} does not pass VLAN {vids}: ",
        "router": (
            "the link between {a} and {b} does not pass VLAN {vids}, to which a sub-interface of"
            " {router} belongs: "
        ),
        "who": "{who}; {says}",
    },
    fix={
        "lists": "allow VLAN {vids} at {lacking}, on the shortest way between its members",
        "other": "find out what keeps VLAN {vids} apart there; the lists allow it",
    },
)
def needed_vlan_missing(site: Site) -> Iterator[Found]:
    by_link = {joined.link: joined for joined in site.links if _is_tagged(site, joined)}
    lost: dict[End, tuple[Joined, dict[int, list[str]]]] = {}
    for vid, gaps in site.breaks.items():
        for gap in gaps:
            joined = by_link.get(gap.link)
            # Told by others: ends that differ, or a VLAN that a switch lacks.
            if (
                joined is None
                or (
                    vid in _differing(site, joined)
                    and not _tags(site, joined.a) | _tags(site, joined.b)
                )
                or not _both_have(site, joined, vid)
            ):
                continue
            # Secondaries of a private VLAN are told together with their primary.
            if _is_secondary(site, joined, vid):
                continue  # trunk-lacks-secondaries tells
            _, parts = lost.setdefault(joined.a.end, (joined, {}))
            parts.setdefault(vid, []).extend(gap.other.devices(site.fabric))
    # What lists keep off can be mended there; the rest has another reason.
    for joined, parts in _by_what_keeps(site, lost.values()):
        a, b = joined.a, joined.b
        vids = VlanSet.from_vids(parts)
        who = "; ".join(
            f"VLAN {vid} of {listed(sorted(set(names)))} is cut off" for vid, names in parts.items()
        )
        why = why_stopped(site.fabric, joined.link, next(iter(parts)))
        router = next((r.end.device for r in (a, b) if _tags(site, r)), None)
        lacking = _lacking(site, joined, vids)
        yield finding(
            {
                "a": a.end,
                "b": b.end,
                "vids": vids,
                "who": who,
                "says": why.says,
                "router": router,
                "lacking": " and at ".join(map(str, lacking)),
            },
            case=("router" if router else "trunk", "who", "lists" if lacking else "other"),
            where=(site.places.of(a, "allowed"), site.places.of(b, "allowed")),
            vlans=vids.bits,
            among={name for names in parts.values() for name in names},
            cause=LinkFails(joined.link),
            key=(str(a.end), str(b.end), str(vids)),
            edits=_widened(joined, vids) if lacking else (),
        )


Lost = tuple[Joined, dict[int, list[str]]]
"""A link, and for each VLAN that it does not pass the switches that are cut off."""


def _by_what_keeps(site: Site, lost: Iterable[Lost]) -> Iterator[Lost]:
    """The VLANs that the lists of a link keep off it, and apart from them all others."""
    for joined, parts in lost:
        listed_out = {vid for vid in parts if _lacking(site, joined, VlanSet.of(vid))}
        for vids in (listed_out, parts.keys() - listed_out):
            if vids:
                yield joined, {vid: names for vid, names in parts.items() if vid in vids}


def _lacking(site: Site, joined: Joined, vids: VlanSet) -> list[End]:
    """The ends of a link whose lists lack some VLANs; [] if something else keeps these off it."""
    ends = [r for r in (joined.a, joined.b) if not _tags(site, r)]
    # A port that takes no tagged frames, or withholds the VLAN, is not mended by its list.
    tagging = all(r.mode is Mode.TRUNK or r.completed.accept is not Accept.UNTAGGED for r in ends)
    withheld = VlanSet(union(r.completed.withheld.bits for r in ends))
    lacking = [r.end for r in ends if vids - r.allowed]
    return lacking if tagging and not withheld & vids else []


def _tags(site: Site, resolved: Resolved) -> int:
    """The tags of the sub-interfaces at a routed end, as a mask."""
    return owned_tags(site.fabric, resolved.end) if resolved.mode is Mode.ROUTED else 0


def _is_tagged(site: Site, joined: Joined) -> bool:
    """True for a link with a trunk, or sub-interfaces of a router, at each end."""
    # Two routed ends have no lists at all.
    return all(
        r.effective_mode is Mode.TRUNK or _tags(site, r) for r in (joined.a, joined.b)
    ) and not all(_tags(site, r) for r in (joined.a, joined.b))


def _is_secondary(site: Site, joined: Joined, vid: int) -> bool:
    rows = [site.fabric.device(r.end.device).row(vid) for r in (joined.a, joined.b)]
    return all(row and row.private and row.private.value is not Private.PRIMARY for row in rows)


def _both_have(site: Site, joined: Joined, vid: int) -> bool:
    # Two natives that differ: the frames cross into another VLAN.
    natives = {r.native for r in (joined.a, joined.b)}
    if vid in natives and len(natives) > 1:
        return False  # untagged-vlan-differs tells
    return all(
        (site.fabric.live[r.end.device] | _tags(site, r)) >> vid & 1 for r in (joined.a, joined.b)
    )


@rule(
    "spare-link-lacks-vlan",
    family=_FAMILY,
    severity=Severity.RISK,
    what="a redundant link does not let a VLAN through that both its switches carry",
    why="for this VLAN the spare is none: it works until the other way fails",
    cure="allow the VLAN at both ends of the spare link as well",
    example=(
        "dist-1 and dist-2 both carry VLAN 30 to access-1, and the link between them does not"
        " allow it"
    ),
    says={
        "spare": (
            "the link between {a} and {b} does not pass VLAN {missing}, which both switches carry:"
            " for this VLAN it is no spare way"
        ),
        "taken": (
            "the link between {a} and {b} does not pass VLAN {missing}, which both switches carry;"
            " the spanning tree takes it and blocks {blocked}, so that VLAN {cut} of {fallen} is"
            " cut off now"
        ),
        "missed": "; without {loss}, {ports} {are} cut off",
        "idle": "; no single link or switch is missed for that, because others are spare",
    },
    fix={
        "lists": "allow VLAN {missing} at {lacking}",
        "other": "find out what keeps VLAN {missing} off the link; the lists allow it",
    },
)
def spare_link_lacks_vlan(site: Site) -> Iterator[Found]:
    for joined in site.trunk_links:
        missing = site.needs[joined.number] & ~site.shared[joined.number]
        # What is told elsewhere is taken out: one by one, since reasons differ.
        for vid in VlanSet(missing):
            elsewhere = (
                vid in _differing(site, joined)
                or _is_secondary(site, joined, vid)
                or site.split >> vid & 1
            )
            if elsewhere or not _both_have(site, joined, vid):
                missing &= ~(1 << vid)
        if missing:
            a, b = joined.a, joined.b
            lacking = _lacking(site, joined, VlanSet(missing))
            cut = site.cut_by_tree.get(joined.number)
            blocked = f"{cut.blocked.a} to {cut.blocked.b}" if cut is not None else ""
            link = site.fabric.wiring.links[joined.number]
            # With a cut the question is settled; else it is tried what a loss would do.
            loss = site.missed(link, missing) if cut is None else None
            tried = () if loss is None else ("missed" if loss else "idle",)
            yield finding(
                {
                    "a": a.end,
                    "b": b.end,
                    "loss": loss.loss.name if loss else "",
                    "ports": counted(loss.hosts, "host port") if loss else "",
                    "are": agree(loss.hosts, "is", "are") if loss else "",
                    "missing": bits_to_text(missing),
                    "lacking": " and at ".join(map(str, lacking)),
                    "cut": bits_to_text(cut.vlans) if cut is not None else "",
                    "fallen": listed(list(cut.switches)) if cut is not None else "",
                    "blocked": blocked,
                },
                case=(
                    "taken" if cut is not None else "spare",
                    *tried,
                    "lists" if lacking else "other",
                ),
                severity=(
                    Severity.FAULT if cut is not None else Severity.NOTE if loss is False else None
                ),
                where=(site.places.of(a, "allowed"), site.places.of(b, "allowed")),
                vlans=missing,
                edits=_widened(joined, VlanSet(missing)) if lacking else (),
            )


def _widened(joined: Joined, vids: VlanSet) -> list[Edit]:
    """The lists of both ends of a link with some VLANs more."""
    return [edit for r in (joined.a, joined.b) for edit in with_list(r, r.allowed | vids)]


def with_list(resolved: Resolved, after: VlanSet) -> list[Edit]:
    """Another list for a trunk; a general port has tagged members instead."""
    port, switch = resolved.stated, resolved.end.device
    # A general port has a membership in the place of a list.
    if resolved.mode is Mode.GENERAL:
        now = resolved.completed.tagged
        then = (now | (after - resolved.allowed)) - (resolved.allowed - after)
        return [of_port(switch, port, "tagged", then)] if then != now else []
    if resolved.mode is not Mode.TRUNK:
        return []
    return allowing(switch, port, resolved.completed.allowed, after)
