"""Places as a user names them: `switch:port`, or a host of the plan or of a host table."""

from __future__ import annotations

from typing import TYPE_CHECKING, NamedTuple

from inkov.cli.says import fail, nearest
from inkov.cli.session import Session, vlan_list
from inkov.levels import Level
from inkov.vlanset import union

if TYPE_CHECKING:
    from inkov.campus import Host
    from inkov.forwarding.reach import Sending
    from inkov.forwarding.reasons import Sentence
    from inkov.proofs import Verdict
    from inkov.wiring import End


class Place(NamedTuple):
    """A port, and the host there if one was named."""

    label: str
    end: End
    host: Host | None


def find_place(session: Session, text: str) -> Place:  # noqa: RET503 (fail does not return)
    """The place that `text` names. Ends with the nearest names if there is none."""
    from inkov.wiring import End

    campus = session.fabric.campus
    hosts = {host.name: host for host in campus.hosts}
    # A host by its name.
    if text in hosts:
        host = hosts[text]
        device, port = _at(
            session, host.device, host.port, f"host {text} ({host.origin.file}:{host.origin.line})"
        )
        return Place(text, End(device, port), host)
    # A switch may have colons in its name.
    for cut in [at for at, char in enumerate(text) if char == ":"]:
        if text[:cut] in campus.devices:
            device, port = _at(session, text[:cut], text[cut + 1 :], "")
            return Place(f"{device}:{port}", End(device, port), None)
    # A switch alone: which of its ports?
    if text in campus.devices:
        fail(f"{text} is a switch: say at which port, as in {text}:PORT")
    switch = text.partition(":")[0]
    known = [*hosts, *campus.devices] if ":" not in text else campus.devices
    what = (
        "no host, and no place written switch:port"
        if ":" not in text
        else "no switch of that name is read"
    )
    fail(f"{text}: {what}{nearest(switch, known)}")


def two_places(session: Session, source: str, target: str) -> tuple[Place, Place]:
    """The places that two texts name. Ends if both are the same port, or two hosts on one wire."""
    places = find_place(session, source), find_place(session, target)
    # From a port to itself there is no way.
    if places[0].end == places[1].end:
        fail(f"{source} and {target} are the same port")
    from inkov.forwarding.stations import at_one_wire

    one, other = (place.host for place in places)
    # At two ends of a wire they are at the same as well.
    if one is not None and other is not None and at_one_wire(session.fabric, one, other):
        fail(
            f"{source} and {target} are on one wire: what they hear of each other passes no switch"
        )
    return places


def _at(session: Session, device: str, port: str, whose: str) -> tuple[str, str]:
    campus = session.fabric.campus
    before = f"{whose}: " if whose else ""
    # With the nearest names.
    if device not in campus.devices:
        fail(f"{before}no switch {device!r} among the files{nearest(device, campus.devices)}")
    ports = campus.devices[device].ports
    if port not in ports:
        fail(f"{before}{device} has no port {port!r}{nearest(port, ports)}")
    return device, port


def one_vlan(text: str | None) -> int | None:
    """The VLAN that --vlan names, where only one makes sense."""
    vids = vlan_list(text)
    # Nothing was said of a VLAN.
    if vids is None:
        return None
    if len(vids) != 1:
        fail(f"--vlan: one VLAN is expected here, not {text!r}")
    return next(iter(vids))


def sendings_from(
    session: Session, place: Place, level: Level, vid: int | None, *, untagged: bool = False
) -> list[Sending]:
    """What is sent at a place: in the VLAN asked for, or in that of the host; [] if nothing enters
    there.
    """
    from inkov.forwarding.stations import sent_by, sent_from

    # A host that tags sends in its own VLAN.
    if vid is None and place.host is not None:
        return sent_by(session.fabric, place.host, level, untagged=untagged)
    return sent_from(session.fabric, place.end, level, vid, untagged=untagged)


def why_nothing(session: Session, place: Place, vid: int | None) -> Sentence:
    """Why nothing that is sent at a place gets in, and what would."""
    from inkov.forwarding.reasons import Sentence, why_dropped
    from inkov.forwarding.stations import bridge_ports_at
    from inkov.vlanset import bits_to_text

    fabric, end = session.fabric, place.end
    if vid is None and place.host is not None:
        vid = place.host.vid
    resolved = fabric.ports[fabric.end_of(end.device, end.port)]
    why = why_dropped(fabric, resolved, vid if vid != resolved.completed.access_vlan else None)
    takes = union(port.view.enters() for port in bridge_ports_at(fabric, end))
    # It takes nothing at all: that is the reason.
    if not takes:
        return why
    hint = "" if vid is not None else "; name one with --vlan"
    says = f"{why.says}; what it takes is VLAN {bits_to_text(takes)}{hint}"
    return Sentence(says, why.origin)


def assumptions(session: Session, sendings: list[Sending], level: Level) -> list[str]:
    """What an answer about frames from `sendings` rests on."""
    from inkov.forwarding.assumptions import Assumptions, passed_by
    from inkov.forwarding.reach import flood

    fabric = session.fabric
    passed = passed_by(flood(fabric, sendings, level)) | {
        fabric.bridges[sending.bridge].device for sending in sendings
    }
    return [*Assumptions(fabric).about(passed, level), *session.unread]


def claimed(session: Session, one: End, other: End | None) -> list[Verdict]:
    """The verdicts on the plan's claims about what is sent at one port, and heard at another if
    given.
    """
    # Nothing is claimed.
    if not session.plan.says.claims:
        return []
    from inkov.proofs.prove import Prover

    fabric = session.fabric
    ends = [None if end is None else fabric.end_of(end.device, end.port) for end in (one, other)]
    assert ends[0] is not None
    return Prover(fabric, session.plan).covering(ends[0], ends[1])
