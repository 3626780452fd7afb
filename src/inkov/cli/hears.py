from __future__ import annotations

from inkov.cli.options import (
    LevelOption,
    ListingOptions,
    NowOption,
    SenderArgument,
    SentVlanOption,
    shared,
)
from inkov.cli.places import assumptions, claimed, find_place, one_vlan, sendings_from, why_nothing
from inkov.cli.session import start
from inkov.levels import Level


@shared
def hears(
    place: SenderArgument,
    options: ListingOptions,
    level: LevelOption = Level.HONEST,
    vlan: SentVlanOption = None,
    now: NowOption = False,
) -> None:
    """Who hears a broadcast sent at A, in which VLAN, how tagged."""
    from inkov.forwarding.stations import heard_in_all
    from inkov.forwarding.stations import hears as listeners
    from inkov.render.follow import hears_grid, hears_json
    from inkov.render.proofs import with_claims
    from inkov.render.text import plain

    vid = one_vlan(vlan)
    session = start(options, now=now)
    sender = find_place(session, place)
    sendings = sendings_from(session, sender, level, vid)
    heard = listeners(session.fabric, sendings, level)
    # By each outcome of the trees, where chance decides.
    if session.now is not None:
        heard = heard_in_all([listeners(fabric, sendings, level) for fabric in session.now.fabrics])
    assumed = assumptions(session, sendings, level)
    claims = claimed(session, sender.end, None)
    value = hears_json(sender.end, sendings, level, heard)
    # Nobody hears it, since it does not get in.
    if not sendings:
        why = why_nothing(session, sender, vid)
        at = {"origin": plain(why.origin, session.locator)}
        value |= {"because": why.says, **at}
    grid, brief = (hears_grid(sender.label, value, assumed, brief=short) for short in (False, True))
    options.out.show(with_claims(value, grid, claims, session.locator, brief))
    session.end()
