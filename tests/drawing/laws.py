"""How a drawing is laid out, in laws that hold for any campus."""

from __future__ import annotations

import itertools
import re
from collections import Counter
from collections.abc import Iterator, Sequence
from pathlib import Path
from typing import NamedTuple
from xml.etree import ElementTree

SVG = "{http://www.w3.org/2000/svg}"
BESIDE = 20.0  # two lines of text
NEAR = 0.3  # places are written with one digit

Point = tuple[float, float]
Points = list[Point]


class Box(NamedTuple):
    """A part of the page; `title` of a box that is drawn, or the text that stands there."""

    title: str
    x: float
    y: float
    right: float
    bottom: float

    def has_at_its_edge(self, point: Point) -> bool:
        x, y = point
        within = (
            self.x - NEAR <= x <= self.right + NEAR and self.y - NEAR <= y <= self.bottom + NEAR
        )
        edges = (x - self.x, x - self.right, y - self.y, y - self.bottom)
        return within and min(map(abs, edges)) < NEAR

    def shared(self, other: Box) -> Point:
        """Width and height of what both have; negative where they are apart."""
        width = min(self.right, other.right) - max(self.x, other.x)
        return width, min(self.bottom, other.bottom) - max(self.y, other.y)

    def meets(self, other: Box) -> bool:
        return min(self.shared(other)) > 1


class Svg:
    """What stands in a drawing: `boxes`, of which `switches` are those with a title; lines with
    their points; labels, and what each is `about`; texts with what is told where one points at
    them, `said` without that.
    """

    def __init__(self, path: Path) -> None:
        root = ElementTree.fromstring(path.read_text())
        self.width, self.height = (float(root.attrib[name]) for name in ("width", "height"))
        self.boxes = []
        for one in root.iter(f"{SVG}rect"):
            if "x" in one.attrib:
                x, y, width, height = (float(one.attrib[n]) for n in ("x", "y", "width", "height"))
                self.boxes.append(Box(_title(one), x, y, x + width, y + height))
        self.switches = [box for box in self.boxes if box.title]
        self.drawn: list[tuple[str, Points]] = []
        for one in root.iter(f"{SVG}polyline"):
            points = [tuple(map(float, p.split(","))) for p in one.attrib["points"].split()]
            self.drawn.append((_title(one), [(x, y) for x, y in points]))
        self.lines = Counter(title for title, _ in self.drawn)
        self.texts = ["".join(one.itertext()) for one in root.iter(f"{SVG}text")]
        self.labels = [_label(one) for one in root.iter(f"{SVG}text")]
        self.said = [label.title for label in self.labels]
        self.about = [_title(one) for one in root.iter(f"{SVG}text")]


def _title(element: ElementTree.Element) -> str:
    title = element.find(f"{SVG}title")
    return (title.text or "") if title is not None else ""


def _label(element: ElementTree.Element) -> Box:
    text = (element[-1].tail if len(element) else element.text) or ""
    x, y, size = (float(element.attrib[name]) for name in ("x", "y", "font-size"))
    width = len(text) * size / 2
    x -= {"start": 0.0, "middle": width / 2, "end": width}[element.attrib["text-anchor"]]
    return Box(text, x, y - size * 3 / 4, x + width, y)


def _segments(points: Points) -> Iterator[Box]:
    for (x, y), (right, bottom) in itertools.pairwise(points):
        yield Box("", min(x, right), min(y, bottom), max(x, right), max(y, bottom))


def _leads_to(point: Point, points: Points) -> bool:
    """Whether a point is on a line."""
    x, y = point
    return any(
        s.x - NEAR <= x <= s.right + NEAR and s.y - NEAR <= y <= s.bottom + NEAR
        for s in _segments(points)
    )


def can_be_read(svg: Svg) -> None:
    """No box over another one, no text over another one, or over a line of the legend, none over
    the edge of a box, and all of it on the page.
    """
    page = Box("", 0, 0, svg.width, svg.height)
    legend = [part for title, points in svg.drawn if not title for part in _segments(points)]
    for one in (*svg.boxes, *svg.labels, *legend):
        assert one.shared(page) == (one.right - one.x, one.bottom - one.y), one
    for label, line in itertools.product(svg.labels, legend):
        assert min(label.shared(line)) < 0, (label, line)
    for things in (svg.boxes, svg.labels):
        for one, other in itertools.combinations(things, 2):
            assert not one.meets(other), (one, other)
    for label, box in itertools.product(svg.labels, svg.boxes):
        inside = label.shared(box) == (label.right - label.x, label.bottom - label.y)
        assert inside or not label.meets(box), (label, box)


def well_laid_out(svg: Svg) -> None:
    """The laws of a drawing of the campus."""
    can_be_read(svg)
    boxes = {box.title.partition(" (")[0]: box for box in svg.switches}
    # The legend tells what each box is; where something is asked for, the others are the rest.
    roles = {box.title.rpartition(" (")[2].rstrip(")") for box in svg.switches if "(" in box.title}
    folded = any("(" not in box.title for box in svg.switches)
    if "the rest" not in svg.said:
        assert roles | ({"several switches"} if folded else set()) <= {*svg.said}, roles
    # What a switch is called, and what a row of several is, stands within its box.
    for box in svg.switches:
        within = [
            label for label, about in zip(svg.labels, svg.about, strict=True) if about == box.title
        ]
        assert within and all(
            min(label.y - box.y, box.bottom - label.bottom) > 0 for label in within
        ), box
    page = Box("", 0, 0, svg.width, svg.height)
    # What rails and buses are of, and what a link leads to, one can follow with a finger.
    lines: dict[str, list[Points]] = {}
    for title, points in svg.drawn:
        if title in boxes:
            lines.setdefault(title, []).append(points)
    for name, several in lines.items():
        _joined(boxes[name], several)
    for title, points in svg.drawn:
        if match := re.match(r"([^:]+):\S+ to ([^:]+):[^:,]+[:,]", title):
            far = [
                {
                    name
                    for name in match.groups()
                    if boxes[name].has_at_its_edge(end)
                    or any(_leads_to(end, each) for each in lines.get(name, []))
                }
                for end in (points[0], points[-1])
            ]
            assert far[0] and far[1] and len(far[0] | far[1]) == 2, (title, points, far)
    # Lines go across and down, through no box, and never along another one.
    parts = [(title, part) for title, points in svg.drawn if title for part in _segments(points)]
    for title, part in parts:
        assert min(part.right - part.x, part.bottom - part.y) < NEAR, (title, part)
        assert part.shared(page) == (part.right - part.x, part.bottom - part.y), (title, part)
        for box in svg.switches:
            inner = Box("", box.x + 1, box.y + 1, box.right - 1, box.bottom - 1)
            assert min(part.shared(inner)) < 0, (title, part, box)
    for (own, part), (another, beside) in itertools.combinations(parts, 2):
        along = part.shared(beside)
        assert own == another or min(along) < 0 or max(along) < 2, (own, another, part, beside)


def _joined(box: Box, several: list[Points]) -> None:
    """All lines of a switch hang together, and on its box."""
    left, reached = list(several), list[Points]()
    while left:
        near = [line for line in left if _touches(line, box, reached)]
        assert near, (box, left)
        reached += near
        left = [line for line in left if line not in near]


def _touches(line: Points, box: Box, others: list[Points]) -> bool:
    return box.has_at_its_edge(line[0]) or any(
        _leads_to(line[0], other) or _leads_to(other[-1], line) for other in others
    )


def shows_each_link(svg: Svg, links: Sequence[tuple[str, str]]) -> None:
    """Each link (its ends as switch:port) is drawn once with its ports, or told at both ends."""
    for one, other in links:
        titles = [t for t in svg.lines if re.match(rf"({one} to {other}|{other} to {one})[:,]", t)]
        more = any(re.match(r"and \d+ more links", text) for text in svg.said)
        if not titles and not more:
            assert all(any(f"to {end}:" in text for text in svg.said) for end in (one, other))
        for title in titles:
            assert svg.lines[title] == 1, title
            [points] = [points for drawn, points in svg.drawn if drawn == title]
            ports = {short(end.partition(":")[2]) for end in (one, other)}
            assert _has_ports(svg, points, ports), (title, points, ports)


def short(port: str) -> str:
    """What of the name of a port stands in a drawing."""
    return port if len(port) <= 10 else f"…{port[-9:]}"


def _has_ports(svg: Svg, points: Points, ports: set[str]) -> bool:
    """Whether ports stand at a line, two lines of text away at most."""
    parts = [
        Box("", part.x - BESIDE, part.y - BESIDE, part.right + BESIDE, part.bottom + BESIDE)
        for part in _segments(points)
    ]
    near = [label.title for label in svg.labels if any(label.meets(part) for part in parts)]
    return ports <= set(near) or any(
        set(text.partition(":")[0].split(" – ")) == ports for text in near
    )
