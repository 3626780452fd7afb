"""Sister switches: same make, same ports, mostly the same settings. The port position that differs
from all its peers.

Nobody writes down that two switches are sisters; they are found. Switches of one platform with the
same port names are compared port by port. Where all but one agree, that one is odd, but only if it
is a sister in earnest: it must agree with the others at most of the positions where those agree
among themselves, and there must be enough of these to be no accident.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator

from inkov.campus import Mode, PortKind
from inkov.checks.catalogue import Found, Severity, finding, rule
from inkov.checks.site import Site
from inkov.checks.words import listed
from inkov.forwarding import Resolved
from inkov.wiring import End

_PEERS = 3  # that must agree, beside the odd one
_FEW = 5  # of which all but one agree wherever all but one of more do
_POSITIONS = 4  # at which all sisters with a say agree, beside the odd ones

Setting = tuple[str, int, int | None]


def _setting(resolved: Resolved) -> Setting | None:
    """What is compared: the mode, the VLAN of untagged frames, the voice VLAN. A port that is off
    has no say.
    """
    if not resolved.up or resolved.effective_mode not in (Mode.ACCESS, Mode.TRUNK):
        return None
    if resolved.effective_mode is Mode.TRUNK:
        return "trunk", resolved.native or 0, None
    return "access", resolved.access, resolved.completed.voice_vlan


def _families(site: Site) -> list[list[str]]:
    """Switches of one make with the same ports; and of these, the ones with the same VLANs, since
    each block may have its own.
    """
    alike: dict[tuple[object, ...], list[str]] = {}
    block: dict[tuple[object, ...], list[str]] = {}
    for device in site.devices:
        physical = frozenset(p.name for p in device.ports.values() if p.kind is PortKind.PHYSICAL)
        kind = device.platform.name, physical
        alike.setdefault(kind, []).append(device.name)
        block.setdefault((*kind, frozenset(device.vlans or ())), []).append(device.name)
    blocks = (group for group in block.values() if group not in alike.values())
    return [group for group in (*alike.values(), *blocks) if len(group) > _PEERS]


def _stated_by(site: Site, sisters: list[str], port: str) -> list[tuple[Resolved, Setting]]:
    """What the port is on each sister that has a say; [] as soon as it is clear that more than one
    of them differs.
    """
    settings: list[tuple[Resolved, Setting]] = []
    for name in sisters:
        resolved = site.resolved(End(name, port))
        setting = _setting(resolved)
        if setting is not None:
            settings.append((resolved, setting))
            if len(settings) == _FEW and max(Counter(s for _, s in settings).values()) < _FEW - 1:
                return []
    return settings


@rule(
    "odd-one-out",
    family="Access ports",
    severity=Severity.RISK,
    what="a port differs from the same port of all sister switches",
    why=(
        "switches of one kind are set up alike: the one port that differs is more often a slip than"
        " a wish"
    ),
    cure="set the port as on the sister switches, or say in its description why it differs",
    example="port 7 is in VLAN 20 on fern-1, fern-2 and fern-4, and in VLAN 30 on fern-3",
    says={
        "differs": "{one} differs from the same port of its sisters: it is ",
        "trunk": "a trunk with native VLAN {vid}",
        "access": "in VLAN {vid}",
        "voice": " with voice VLAN {voice}",
        "peers": " on {number} switches ({peers})",
    },
    fix="set {one} like {peer}, or say in its description why it differs",
)
def odd_one_out(site: Site) -> Iterator[Found]:
    told: set[End] = set()
    for sisters in _families(site):
        odd: list[tuple[Resolved, Resolved, Setting, int]] = []
        agreeing: Counter[str] = Counter()
        differing: Counter[str] = Counter()
        ports = site.fabric.device(sisters[0]).ports.values()
        for port in (p.name for p in ports if p.kind is PortKind.PHYSICAL):
            settings = _stated_by(site, sisters, port)
            if len(settings) <= _PEERS:
                continue
            [(usual, number), *others] = Counter(s for _, s in settings).most_common()
            if number < len(settings) - 1:
                continue
            agreeing.update(r.end.device for r, s in settings if s == usual)
            if others:
                one = next(r for r, s in settings if s != usual)
                peer = next(r for r, s in settings if s == usual)
                differing[one.end.device] += 1
                odd.append((one, peer, usual, number))
        for one, peer, (mode, vid, voice), number in odd:
            name = one.end.device
            if agreeing[name] < max(_POSITIONS, 4 * differing[name]) or one.end in told:
                continue
            told.add(one.end)
            trunk = mode == "trunk"
            peers = [n for n in sisters if n != name]
            yield finding(
                {
                    "one": one.end,
                    "vid": vid or "none" if trunk else vid,
                    "voice": voice,
                    "number": number,
                    "peers": listed(peers),
                    "peer": peer.end,
                },
                case=(
                    "differs",
                    "trunk" if trunk else "access",
                    *(["voice"] if voice else []),
                    "peers",
                ),
                where=(
                    site.places.of(one, _decides(one), one.view.pvid or None),
                    site.places.of(peer, _decides(peer), vid or None),
                ),
                assumes=site.places.assumed_for((one, _decides(one))),
                key=(name, one.end.port),
            )


def _decides(resolved: Resolved) -> str:
    return "access_vlan" if resolved.effective_mode is Mode.ACCESS else "native_vlan"
