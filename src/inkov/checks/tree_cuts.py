"""VLANs that the spanning tree cuts: it blocks the links that pass them, and takes others."""

from __future__ import annotations

from msgspec import Struct

from inkov.campus import natural
from inkov.forwarding import Fabric
from inkov.forwarding.domains import Domains, domains, islands
from inkov.forwarding.trees.active import Now
from inkov.forwarding.trees.loss import Kind, all_losses
from inkov.forwarding.trees.losses import Cut, Losses
from inkov.wiring import Link

__all__ = ["TreeCut", "cut_by_tree", "losses_that_cut", "missed"]


class TreeCut(Struct):
    """What is cut since the tree takes a link: VLANs, as a mask, the switches that fall off, and a
    link that would pass them and is blocked.
    """

    vlans: int
    switches: tuple[str, ...]
    blocked: Link


def cut_by_tree(
    fabric: Fabric, over_all: Domains, now: Now | None, shared: list[int]
) -> dict[int, TreeCut]:
    """By the number of the link that the tree takes. Nothing where it is not sure which ports
    forward. `shared` are the VLANs that each link passes both ways.
    """
    # It is not sure what forwards: nothing can be said to be cut.
    if now is None or not now.sure or not now.blocks:
        return {}
    forwards = now.first
    cuts: dict[int, TreeCut] = {}
    for vid, parts in islands(forwards, domains(forwards)):
        for part in parts[1:]:
            if over_all.of(*part.hubs[0]) != over_all.of(*parts[0].hubs[0]):
                continue  # no link joins these
            own = set(part.devices(fabric))
            taken, blocked = _around(forwards, own, vid, shared)
            # No pair of links explains it.
            if taken is None or blocked is None:
                continue
            known = cuts.setdefault(taken, TreeCut(0, tuple(sorted(own)), blocked))
            known.vlans |= 1 << vid
    return cuts


def losses_that_cut(fabric: Fabric, now: Now | None) -> tuple[Losses, list[Cut]] | None:
    """What each single loss of a link or a switch cuts; None where it is not sure what forwards."""
    if now is None or not now.sure:
        return None
    losses = Losses(fabric, now.trees)
    tried = map(losses.try_loss, all_losses(fabric, (Kind.LINK, Kind.SWITCH)))
    return losses, [cut for cut in tried if cut is not None and cut.parts]


def missed(losses: Losses, cuts: list[Cut], link: Link, vlans: int) -> Cut | None:
    """Of losses the one that cuts most off that a link would save if it passed some VLANs; None if
    it would save nobody.
    """
    fabric, ends = losses.fabric, {link.a.device, link.b.device}
    for cut in sorted(cuts, key=lambda cut: (-cut.hosts, cut.loss.kind, natural(cut.loss.name))):
        # The link is lost with its own switch.
        if ends & set(cut.loss.devices):
            continue
        for part in cut.parts:
            hub = min(part)
            if vlans >> hub[1] & 1:
                island = losses.island(cut.loss, hub)
                # One end in what fell off, one outside: the link would save it.
                if len(ends & {fabric.bridges[bridge].device for bridge in island}) == 1:
                    return cut
    return None


def _around(
    forwards: Fabric, own: set[str], vid: int, shared: list[int]
) -> tuple[int | None, Link | None]:
    """Of the links between some switches and others: one that forwards and does not pass a VLAN,
    and one that passes it and discards.
    """
    taken = blocked = None
    for number, link in enumerate(forwards.wiring.links):
        # Both ends inside or outside: it leads nowhere.
        if not forwards.link_up[number] or (link.a.device in own) == (link.b.device in own):
            continue
        discards = any(
            end in forwards.discards and forwards.discards[end].mask >> vid & 1
            for end in (link.a, link.b)
        )
        passes = shared[number] >> vid & 1
        if passes and discards:
            blocked = blocked or link
        elif not passes and not discards and taken is None:
            taken = number
    return taken, blocked
