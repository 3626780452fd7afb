"""What `follow` tells against the naive simulator: whether a frame arrives, each hop of its way,
and that no way is shorter; or where it stops, and that every reason is true and stands in the line
that is named. Random campuses, from sheets to the program's JSON.
"""

from __future__ import annotations

import random
import re
from itertools import product
from pathlib import Path
from typing import Any

import networkx as nx
import pytest

from inkov.campus import Accept, Mode, PortKind
from inkov.vlanset import VlanSet
from tests.campuses import VIDS, random_campus
from tests.conftest import Inkov, cases
from tests.forwarding.frames import Bridge, Frames
from tests.simulator import ANY, At, Place, said
from tests.written import in_files, ranges

STORIES = cases("STORIES", 96)
PARTS = 6
TOLD = 8  # ways of each campus


def values(frames: Frames, place: Place, name: str) -> set[int]:
    """The VLANs of one attribute of a port, by its name in a sentence."""
    port = frames.port(place)
    one = {
        "access VLAN": said(port.access_vlan, 1),
        "voice VLAN": said(port.voice_vlan, None),
        "native VLAN": said(port.native_vlan, 1),
        "PVID": said(port.pvid, 1),
        "primary VLAN": said(port.primary, None),
        "secondary VLAN": said(port.secondary, None),
    }
    several: dict[str, Any] = {
        "allowed list": said(port.allowed, ANY),
        "tagged VLANs": said(port.tagged, ()),
        "untagged VLANs": frames.untagged(port),
        "mapped secondary VLANs": said(port.secondaries, ()),
    }
    return {one[name]} - {None} if name in one else set(several[name])


def passed(frames: Frames, place: Place) -> str:
    """The VLANs that leave by a port."""
    return listed(v for v in ANY if frames.sends(place, v, frames.mode(place)) is not None)


def listed(vids: Any) -> str:
    return ",".join(ranges(VlanSet.from_vids(vids))) or "none"


# --- the line that a reason names -----------------------------------------------------------------

KEYS = {
    "access VLAN": ("access_vlan", "vlan"),
    "voice VLAN": ("voice_vlan", "voice"),
    "native VLAN": ("native_vlan", "native"),
    "PVID": ("pvid", "pvid"),
    "primary VLAN": ("primary", "primary"),
    "secondary VLAN": ("secondary", "secondary"),
    "allowed list": ("allowed", "allowed"),
    "tagged VLANs": ("tagged", "tagged"),
    "untagged VLANs": ("untagged", "untagged"),
    "mapped secondary VLANs": ("secondaries", "secondaries"),
    "withheld": ("withheld", "withheld"),
    "tagged native": ("native_tagged", "native tagged"),
    "filtering": ("ingress_filtering", "ingress filtering"),
    "accept": ("accept", "accept"),
    "state": ("enabled", "state"),
    "tag": ("outer", "tag"),
    "mode": ("mode", "mode"),
}


def line_of(frames: Frames, folder: Path, place: Place, name: str) -> int:
    """The line in which an attribute of a port is stated, or that of the port."""
    attribute, key = KEYS[name]
    lines = (folder / f"{place[0]}.sheet").read_text().splitlines()
    port = frames.port(place)
    kind = {PortKind.BUNDLE: "bundle", PortKind.SUB: "sub"}.get(port.kind, "port")
    heading = lines.index(f"[{kind} {place[1]}]")
    if getattr(port, attribute) is not None:
        for number in range(heading + 1, len(lines)):
            if lines[number].startswith(f"{key}: "):
                return number + 1
    return heading + 1


# --- reasons --------------------------------------------------------------------------------------

DEFAULT = re.compile(r" \(default: [^()]*(\([^()]*\)[^()]*)*\)\Z")
GOES = [
    r"untagged frames are in VLAN (?P<vid>\d+) here, its (?P<name>.*)",
    r"VLAN (?P<vid>\d+) is in its (?P<name>.*)",
    r"VLAN (?P<vid>\d+) is its (?P<name>.*)",
    r"its (?P<name>allowed list) holds VLAN (?P<vid>\d+)",
    r"VLAN (?P<vid>\d+) is among its (?P<name>.*)",
    r"it hears VLAN (?P<vid>\d+), (among )?its (?P<name>.*)",
]


def wrong_reason(frames: Frames, folder: Path, step: dict[str, Any]) -> str:
    """What is not true of the reason for which a frame passes a port, or of its line."""
    place = step["switch"], step["port"]
    says = DEFAULT.sub("", step["because"].removesuffix(", so it leaves untagged"))
    name = ""
    if says in ("the routed port takes it", "the routed port takes untagged frames"):
        return "" if frames.mode(place) is Mode.ROUTED else "it is not"
    if says == "ingress filtering is off, so any tag comes in":
        name = "filtering"
        if said(frames.port(place).ingress_filtering, False):
            return "it filters"
    elif match := re.fullmatch(r"VLAN (\d+) is native here(, and tagged all the same)?", says):
        name = "tagged native" if match[2] else "native VLAN"
        if int(match[1]) not in values(frames, place, "native VLAN"):
            return "it is not native"
        if said(frames.port(place).native_tagged, False) is not bool(match[2]):
            return "tagged or not?"
    elif frames.tag_of(place):
        name = "tag" if "takes" in says else "mode"
        says = says.partition(";")[0]
        if frames.mode(place) is Mode.ROUTED:
            name = "tag"
        if str(frames.tag_of(place)) not in says:
            return "its tag is another one"
        if name == "mode":
            return ""  # the whole sub-interface is what sends it
    elif step["tagged"] and frames.registers(place, step["vlan"]):
        return ""  # asked for: no attribute holds it
    else:
        for pattern in GOES:
            if match := re.fullmatch(pattern, says):
                name = match["name"]
                if int(match["vid"]) not in values(frames, place, name):
                    return f"not its {name}"
                break
    if not name:
        return "not known"
    line = line_of(frames, folder, place, name)
    return "" if step["origin"]["line"] == line else f"{name} is stated in line {line}"


def wrong_stop(frames: Frames, folder: Path, step: dict[str, Any], tag: int | None) -> str:
    """The same for a frame that stops at a port: on the bridge, or on the wire, tagged or not."""
    place, says = (step["switch"], step["port"]), DEFAULT.sub("", step["because"])
    port, at, name = frames.port(place), ":".join(place), ""
    device, mode = frames.campus.devices[place[0]], frames.mode(place)
    if says == f"{at} is shut":
        name, true = "state", not frames.is_up(place)
    elif match := re.fullmatch(r"the allowed list of (.*) \((.*)\) does not hold VLAN (\d+)", says):
        allowed = said(port.allowed, ANY)
        name = "allowed list"
        true = match[1] == at and match[2] == listed(allowed) and int(match[3]) not in allowed
    elif match := re.fullmatch(r"VLAN (\d+) is withheld from (.*)", says):
        name, true = "withheld", match[2] == at and int(match[1]) in said(port.withheld, ())
    elif match := re.fullmatch(r"(.*) is in VLAN (.*), which (.*) does not have", says):
        name = {Mode.ACCESS: "access VLAN", Mode.GENERAL: "PVID"}.get(mode, "")
        name = {Mode.TRUNK: "allowed list", Mode.PRIVATE_HOST: "primary VLAN"}.get(mode, name)
        name = name or "primary VLAN"
        true = match[1] == at and passed(frames, place) == "none"
    elif match := re.fullmatch(r"(.*) \((.*)\) passes VLAN (.*), not VLAN (\d+)", says):
        name = {Mode.ACCESS: "access VLAN", Mode.GENERAL: "tagged VLANs"}.get(mode, "")
        name = {Mode.PRIVATE_HOST: "primary VLAN"}.get(mode, name)
        name = {Mode.PROMISCUOUS: "mapped secondary VLANs"}.get(mode, name) or "mode"
        vid = int(match[4])
        true = match[1] == at and match[3] == passed(frames, place)
        true = true and frames.sends(place, vid, mode) is None
    elif match := re.fullmatch(r"VLAN (\d+) is suspended on (.*)", says):
        row = (device.vlans or {})[int(match[1])]
        line = (folder / f"{place[0]}.sheet").read_text().splitlines()[step["origin"]["line"] - 1]
        true = not said(row.active, True) and line.startswith(f"{match[1]}: ")
        return "" if true else "not suspended, or not there"
    elif match := re.fullmatch(r"(.*) does not define VLAN (\d+)", says):
        return "" if match[1] == place[0] and not frames.has(device, int(match[2])) else "it does"
    elif says.startswith(f"{at} does not send it: "):
        return ""  # that the way is right is seen by its hops
    elif says == f"{at} is routed: the VLAN ends there":
        return "" if mode is Mode.ROUTED else "it is not"
    else:
        what, _, why = says.removeprefix(at).partition(": ")
        what = re.sub(r"\A \(.*\)", "", what).strip()
        true = what == ("drops untagged frames" if tag is None else f"takes no frames tagged {tag}")
        true = true and frames.takes(place, tag, mode) is None
        native, pvid = said(port.native_vlan, 1), said(port.pvid, 1)
        others = Accept.TAGGED if tag is None else Accept.UNTAGGED
        reasons = {
            "": ("mode", mode not in (Mode.TRUNK, Mode.GENERAL)),
            "it has no native VLAN": ("native VLAN", mode is Mode.TRUNK and native is None),
            f"its native VLAN {native} is not on its allowed list": (
                "native VLAN",
                native not in said(port.allowed, ANY),
            ),
            f"it accepts {others} frames only": ("accept", said(port.accept, None) is others),
            "it is no member of that VLAN": (
                "tagged VLANs",
                tag not in {*said(port.tagged, ()), *frames.untagged(port)},
            ),
            f"it is no member of VLAN {pvid}, its PVID": (
                "PVID",
                pvid not in {*said(port.tagged, ()), *frames.untagged(port)},
            ),
            "it has no PVID": ("PVID", mode is Mode.GENERAL and pvid is None),
        }
        name, because = reasons.get(why, ("", False))
        true = true and because
    if not true:
        return "not true"
    line = line_of(frames, folder, place, name)
    return "" if step["origin"]["line"] == line else f"{name} is stated in line {line}"


# --- one story ------------------------------------------------------------------------------------


class Teller:
    """Goes along with a story, as the simulator moves the frame."""

    def __init__(self, frames: Frames, folder: Path, source: Place, vid: int) -> None:
        self.frames = frames
        self.folder = folder
        self.source = source
        self.starts = frames.sent(source, vid)
        self.reached = frames.reached(self.starts)
        self.vid = vid
        self.at: list[At] = []  # where the frame may be
        self.wire: list[tuple[Place, int | None]] = []  # or by which port it left, with which tag
        self.hops = 0

    def wrong(self, step: dict[str, Any]) -> str:
        """What is wrong with a step, after those before it."""
        frames, place = self.frames, (step["switch"], step["port"])
        shown = step["vlan"], step["tagged"]
        if step["event"] == "sent":
            # A host that sends in a VLAN tags its frames, where the port takes them so.
            end = frames.end_of(place)
            own = [at for at in self.starts if at[:2] == place]
            self.at = [at for at in own if self.shown(at, step["tagged"]) == shown]
            tagged = [
                at for at in self.at if at in frames.arrive(end, frames.tag_of(place) or at.vid)
            ]
            passes = bool(tagged if step["tagged"] else self.at)
            passes = passes and step["tagged"] is bool(
                tagged and (self.vid or frames.tag_of(place))
            )
        elif step["event"] == "arrives":
            arriving = [(self.tagged, at) for at in self.over() if at[:2] == place]
            self.at = [at for tagged, at in arriving if self.shown(at, tagged) == shown]
            self.hops += 1
            passes = bool(self.at)
        else:
            assert step["event"] in ("leaves", "heard")
            self.wire = [
                (out, tag)
                for at in self.at
                for out, tag, vid in frames.spread(at)
                if out == place and self.shown(At(*out, vid), tag is not None) == shown
            ]
            passes = bool(self.wire)
        if not passes:
            return "no such frame"
        return wrong_reason(frames, self.folder, step)

    @property
    def tagged(self) -> bool:
        return self.wire[0][1] is not None

    def over(self) -> list[At]:
        """Where what left gets to."""
        frames = self.frames
        return [
            at
            for out, tag in self.wire
            for far in frames.cables.get(frames.end_of(out), ())
            for at in frames.arrive(far, tag)
        ]

    def shown(self, at: At, tagged: bool) -> tuple[int | None, bool]:
        """How a frame is to be told that passes a port."""
        frames, place = self.frames, (at.device, at.port)
        tag = frames.tag_of(place)
        if frames.mode(place) is Mode.ROUTED:
            return tag or None, tagged
        return frames.called(at) if tag else at.vid, tagged

    def wrong_end(self, last: dict[str, Any], before: str, target: Place) -> str:
        """What is wrong with the last step of a story of a frame that does not arrive (FM 6.5)."""
        frames, place = self.frames, (last["switch"], last["port"])
        far = self.distances(target)
        if last["because"].startswith("no link leads on towards"):
            return "a link does" if far else ""
        if before != "leaves" and last["tagged"]:
            return "it is on no wire"
        if not far or far[frames.bridge_of(self.at[0])] != min(far.values()):
            return "it gets nearer"
        if before == "leaves":  # it is on the wire, and nothing takes it at the far end
            (out, tag), *_ = self.wire
            if (last["vlan"], last["tagged"]) != (tag, tag is not None):
                return "it has another form"
            fars = frames.cables.get(frames.end_of(out), ())
            taken = [(at.device, at.port) for at in self.over()]
            if (
                last["because"]
                == f"{place[0]}:{place[1]} takes it, into another bridge of {place[0]}"
            ):
                return "" if place in taken else "it is not taken there"
            routed = frames.mode(place) is Mode.ROUTED
            if frames.end_of(place) not in fars or (taken and not routed):
                return "it is taken there"
            return wrong_stop(frames, self.folder, last, tag)
        if last["vlan"] not in {frames.vlan_of(at) for at in self.at}:
            return "it is in another VLAN"
        if any(frames.leaves(at, place) for at in self.at):
            return "it leaves there"
        return wrong_stop(frames, self.folder, last, None)

    def distances(self, target: Place) -> dict[Bridge, int]:
        """The bridges that the frame gets to, and how many links that are up lead from there to the
        target; if there are none, how many of all.
        """
        frames, there = self.frames, self.reached
        goal, *_ = frames.bridges_at(frames.end_of(target), target)
        for up in (True, False):
            graph: nx.Graph[Bridge] = nx.Graph()
            graph.add_nodes_from([goal, *map(frames.bridge_of, there)])
            for near, fars in frames.cables.items():
                for far in fars:
                    if not up or (frames.is_up(near) and frames.is_up(far)):
                        both = frames.bridges_at(near), frames.bridges_at(far)
                        graph.add_edges_from(product(*both))
            lengths = nx.single_source_shortest_path_length(graph, goal)
            far_off = {b: lengths[b] for b in map(frames.bridge_of, there) if b in lengths}
            if far_off:
                return far_off
        return {}


def told(teller: Teller, target: Place, story: dict[str, Any]) -> str:
    """What is wrong with a whole story."""
    frames, starts = teller.frames, teller.starts
    *before, last = story["steps"]
    ports = frames.ports_at(target)
    ways = [(port, way) for port in ports if (way := frames.shortest(starts, port)) is not None]
    if story["arrives"] is not bool(ways):
        return f"it arrives at {ways}"
    if not starts:
        nowhere = last["event"] == "stops" and last["vlan"] is None and not last["tagged"]
        at_source = (last["switch"], last["port"]) == teller.source
        return "" if not before and nowhere and at_source else "it is sent"
    for step in story["steps"] if ways else before:
        if wrong := teller.wrong(step):
            return f"{wrong}: {step}"
    if ways:
        port, (links, simple) = ways[0]
        if (last["switch"], last["port"]) != port:
            return "by another port"
        if (teller.hops, story.get("certain", True)) != (links, simple):
            return f"{links} links, simple: {simple}"
        return ""
    senders = {(at.device, at.port) for at in starts}
    heard = frames.heard(teller.reached, senders)
    number = sum(heard.values())
    says = f"heard instead by {number} host port{'s' * (number != 1)}, in VLAN {listed(heard)}"
    if story["instead"] != (says if heard else "no host port hears it"):
        return says
    wrong = teller.wrong_end(last, before[-1]["event"] if before else "", target)
    return wrong and f"{wrong}: {last}"


def wrong_hearing(frames: Frames, source: Place, answer: dict[str, Any]) -> str:
    """What is wrong with who hears a host at a port, and with whether that is certain."""
    starts = frames.sent_honestly(source)
    senders = {(at.device, at.port) for at in starts}
    meant = {
        (*out, vid, tag is not None)
        for at in frames.reached(starts)
        for out, tag, vid in frames.spread(at)
        if out not in senders and frames.is_host(out) and frames.mode(out) is not Mode.ROUTED
    }
    heard = {
        (each["switch"], each["port"], each["vlan"], each["tagged"]): each.get("certain", True)
        for each in answer["heard"]
    }
    if heard.keys() != meant:
        return f"{heard.keys() ^ meant}"
    for (switch, port, vid, _), certain in heard.items():
        # Within its VLAN a tree joins all that hang together.
        simple = vid in {at.vid for at in starts}
        simple = simple or frames.shortest(starts, (switch, port), vid)[1]  # type: ignore[index]
        if certain is not simple:
            return f"{switch}:{port} in VLAN {vid}, certain: {simple}"
    return ""


@pytest.mark.parametrize("part", range(PARTS))
def test_stories_are_what_frames_do(part: int, inkov: Inkov, tmp_path: Path) -> None:
    for seed in range(part, STORIES, PARTS):
        rng = random.Random(f"stories {seed}")
        campus = random_campus(rng, 5)
        in_files(rng, campus, tmp_path / "c", ["sheet"])
        frames = Frames(campus)
        places = [(d.name, port) for d in campus.devices.values() for port in d.ports]
        modes = {said(campus.devices[d].ports[p].mode, None) for d, p in places}
        shared = any(len(fars) > 1 for fars in frames.cables.values())
        if Mode.UNAWARE in modes or shared:  # what these do is seen elsewhere
            continue
        sources = [p for p in places if frames.is_live(p) and frames.end_of(p) not in frames.cables]
        for _ in range(TOLD if sources else 0):
            source, vid = rng.choice(sources), rng.choice([0, 0, 0, *VIDS])
            teller = Teller(frames, tmp_path / "c", source, vid)
            near = [p for p in places if any(frames.leaves(at, p) for at in teller.reached)]
            target = rng.choice(near if near and rng.random() < 0.5 else places)
            if frames.mode(source) is Mode.ROUTED or source == target:
                continue
            ends = f"{source[0]}:{source[1]}", f"{target[0]}:{target[1]}"
            answer = inkov("hears", ends[0], "c", "-f", "json")
            wrong = wrong_hearing(frames, source, answer.json) if answer.out else ""
            assert not wrong, (seed, ends[0], wrong)
            story = inkov(
                "follow", *ends, "c", "-f", "json", *(["--vlan", vid] if vid else [])
            ).json
            assert not (wrong := told(teller, target, story)), (seed, ends, vid, wrong)
