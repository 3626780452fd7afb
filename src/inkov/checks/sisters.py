"""Ports that should be alike: those of sister switches (same make, same ports, mostly the same
settings), and those of one switch that are described alike. The one that differs from its peers.

Nobody writes down that two switches are sisters; they are found. Switches of one platform with the
same port names are compared port by port. Where all but one agree, that one is odd, but only if it
is a sister in earnest: it must agree with the others at most of the positions where those agree
among themselves, and there must be enough of these to be no accident.

Descriptions are alike if they differ in numbers and marks only: "till 3" and "Till-4". Where the
port next to the odd one, described otherwise, has what the odd one lacks, a plug or a line slipped
by one, and fewer peers will do.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator
from dataclasses import dataclass
from functools import lru_cache

from inkov.campus import Mode, PortKind, natural
from inkov.checks.catalogue import Found, Severity, finding, rule
from inkov.checks.site import Site
from inkov.forwarding import Resolved
from inkov.wiring import End
from inkov.words import listed

_PEERS = 3  # that must agree, beside the odd one
_FEW = 5  # of which all but one agree wherever all but one of more do
_ALIKE = 5  # ports of a switch that are described alike, beside the odd one
_SLIPPED = 3  # of these, where the port next to the odd one has its setting
_POSITIONS = 4  # at which all sisters with a say agree, beside the odd ones

Setting = tuple[str, int, int | None]


def _setting(resolved: Resolved) -> Setting | None:
    """What is compared: the mode, the VLAN of untagged frames, the voice VLAN. A port that is off
    has no say.
    """
    # A port that is off, or of another kind, has no say.
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
    # A block that is the whole family would be compared twice.
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
            # Two of five differ already: no single one will be odd.
            if len(settings) == _FEW and max(Counter(s for _, s in settings).values()) < _FEW - 1:
                return []
    return settings


@dataclass(frozen=True)
class _Odd:
    """A port, one of its peers, what the peers are, and how many and who they are."""

    port: Resolved
    peer: Resolved
    usual: Setting
    number: int
    peers: list[str]
    beside: Resolved | None = None


@rule(
    "odd-one-out",
    family="Access ports",
    severity=Severity.RISK,
    what="a port differs from the same port of all sister switches, or from all that are described"
    " like it",
    why=(
        "ports of one kind are set up alike: the one that differs is more often a slip than a wish"
    ),
    cure="set the port like its peers, or say in its description why it differs",
    example="port 7 is in VLAN 20 on fern-1, fern-2 and fern-4, and in VLAN 30 on fern-3",
    says={
        "sisters": "{one} differs from the same port of its sisters: it is ",
        "described": "{one} is described like other ports, and differs from them: they are ",
        "trunk": "a trunk with native VLAN {vid}",
        "access": "in VLAN {vid}",
        "voice": " with voice VLAN {voice}",
        "on switches": " on {number} switches ({peers})",
        "as ports": " ({peers})",
        "beside": "; so is port {beside}, next to it, which is described otherwise",
    },
    fix="set {one} like {peer}, or say in its description why it differs",
)
def odd_one_out(site: Site) -> Iterator[Found]:
    told: set[End] = set()
    for case, after, odds in (
        ("sisters", "on switches", _among_sisters(site)),
        ("described", "as ports", _described_alike(site)),
    ):
        for odd in odds:
            # Odd among sisters: told once, not again for its description.
            if odd.port.end in told:
                continue
            told.add(odd.port.end)
            mode, vid, voice = odd.usual
            trunk = mode == "trunk"
            yield finding(
                {
                    "one": odd.port.end,
                    "vid": vid or "none" if trunk else vid,
                    "voice": voice,
                    "number": odd.number,
                    "peers": listed(odd.peers),
                    "peer": odd.peer.end,
                    "beside": odd.beside and odd.beside.end.port,
                },
                case=(
                    case,
                    "trunk" if trunk else "access",
                    *(["voice"] if voice else []),
                    after,
                    *(["beside"] if odd.beside else []),
                ),
                where=(
                    site.places.of(odd.port, _decides(odd.port), odd.port.view.pvid or None),
                    site.places.of(odd.peer, _decides(odd.peer), vid or None),
                ),
                assumes=site.places.assumed_for((odd.port, _decides(odd.port))),
                key=(odd.port.end.device, odd.port.end.port),
            )


def _among_sisters(site: Site) -> Iterator[_Odd]:
    for sisters in _families(site):
        odds: list[_Odd] = []
        agreeing: Counter[str] = Counter()
        differing: Counter[str] = Counter()
        ports = site.fabric.device(sisters[0]).ports.values()
        for port in (p.name for p in ports if p.kind is PortKind.PHYSICAL):
            settings = _stated_by(site, sisters, port)
            # Too few have a say.
            if len(settings) <= _PEERS:
                continue
            [(usual, number), *others] = Counter(s for _, s in settings).most_common()
            # More than one differs: none of them is the odd one.
            if number < len(settings) - 1:
                continue
            agreeing.update(r.end.device for r, s in settings if s == usual)
            if others:
                odd_port, peer = _one_and_a_peer(settings, usual)
                differing[odd_port.end.device] += 1
                peers = [name for name in sisters if name != odd_port.end.device]
                odds.append(_Odd(odd_port, peer, usual, number, peers))
        for odd in odds:
            name = odd.port.end.device
            # It must be a sister in earnest: agree often, and differ seldom.
            if agreeing[name] >= max(_POSITIONS, 4 * differing[name]):
                yield odd


def _described_alike(site: Site) -> Iterator[_Odd]:
    alike: dict[tuple[str, str], list[Resolved]] = {}
    for resolved in site.access_hosts:
        if stem := _stem(resolved):
            alike.setdefault((resolved.end.device, stem), []).append(resolved)
    for (_, stem), ports in alike.items():
        first = ports[0].completed
        # Too few alike, or all the same in everything.
        if len(ports) <= _SLIPPED or all(r.completed == first for r in ports):
            continue
        settings = [(r, setting) for r in ports if (setting := _setting(r)) is not None]
        [(usual, number), *others] = Counter(s for _, s in settings).most_common()
        # Too few peers, no odd one, or several.
        if number < _SLIPPED or not others or number < len(settings) - 1:
            continue
        odd, peer = _one_and_a_peer(settings, usual)
        beside = _beside(site, odd, stem, usual)
        # Many peers, or fewer and a neighbour that has what this one lacks.
        if number >= _ALIKE or beside is not None:
            peers = [f"port {r.end.port}" for r, s in settings if s == usual]
            yield _Odd(odd, peer, usual, number, peers, beside)


def _one_and_a_peer(
    settings: list[tuple[Resolved, Setting]], usual: Setting
) -> tuple[Resolved, Resolved]:
    """The port that differs, and the first that does not."""
    odd = next(r for r, s in settings if s != usual)
    return odd, next(r for r, s in settings if s == usual)


def _stem(resolved: Resolved) -> str:
    """The letters of a description; "" where they are too few to tell a kind."""
    about = resolved.stated.description
    return "" if about is None else _letters(about.value)


@lru_cache(maxsize=4096)
def _letters(text: str) -> str:
    letters = "".join(filter(str.isalpha, text.casefold()))
    return letters if len(letters) > 2 else ""


def _beside(site: Site, odd: Resolved, stem: str, usual: Setting) -> Resolved | None:
    """The port before or after one that is set up as this one should be, and not described so."""
    names = [
        p.name
        for p in site.fabric.device(odd.end.device).ports.values()
        if p.kind is PortKind.PHYSICAL
    ]
    names.sort(key=natural)
    at = names.index(odd.end.port) if odd.end.port in names else len(names)
    for name in names[max(at - 1, 0) : at + 2]:
        near = site.resolved(End(odd.end.device, name))
        # Described otherwise, and set up as the odd one should be: a line slipped by one.
        if _stem(near) not in ("", stem) and _setting(near) == usual:
            return near
    return None


def _decides(resolved: Resolved) -> str:
    return "access_vlan" if resolved.effective_mode is Mode.ACCESS else "native_vlan"
