"""A drawing as SVG: texts stay texts, and what one points at tells more."""

from __future__ import annotations

from collections.abc import Iterator
from html import escape

from inkov.drawing import Drawing, Tone
from inkov.harmless import safe

__all__ = ["STYLES", "to_svg"]

# (colour, width, dashes) of lines, (fill, edge, edge's width, corner) of boxes. The colours are
# told apart by people who do not see red or green (Wong, 2011), and none stands without a pattern,
# a width or a shape of its own.
_LINES: dict[Tone, tuple[str, float, str]] = {
    Tone.UP: ("#5b6470", 1.3, ""),
    Tone.BUNDLE: ("#5b6470", 3.2, ""),
    Tone.SHUT: ("#9aa1a9", 1.2, "1.5 3"),
    Tone.DISCARDS: ("#0072b2", 1.6, "7 4"),
    Tone.WRONG: ("#c04a00", 2.2, "10 2 2 2"),
    Tone.MARKED: ("#0072b2", 3.0, ""),
    Tone.FAINT: ("#d3d7db", 1.0, ""),
}
_BOXES: dict[Tone, tuple[str, str, float, float]] = {
    Tone.CORE: ("#dfe9f3", "#1f3b57", 2.4, 2),
    Tone.DISTRIBUTION: ("#e6f0ea", "#1f4f3b", 1.8, 2),
    Tone.ACCESS: ("#fbfaf5", "#55595e", 1.0, 2),
    Tone.ROUTER: ("#f6ecd9", "#6b4a0b", 1.8, 13),
    Tone.SERVER: ("#f0e6f0", "#5a2d5a", 1.2, 0),
    Tone.OUTSIDE: ("#ffffff", "#9aa1a9", 1.0, 6),
    Tone.FOLDED: ("#eceff1", "#55595e", 2.6, 6),
    Tone.PORT_OFF: ("#ececec", "#b8bdc2", 1.0, 9),
    Tone.FAINT: ("#ffffff", "#d3d7db", 1.0, 2),
}
_TEXTS: dict[Tone, tuple[str, float, str]] = {
    Tone.TITLE: ("#1d2329", 15, "600"),
    Tone.TEXT: ("#1d2329", 12, "500"),
    Tone.SMALL: ("#454c54", 9.5, "400"),
    Tone.WRONG: ("#a33f00", 9.5, "700"),
}
STYLES = _LINES, _BOXES, _TEXTS


def to_svg(drawing: Drawing, *, document: bool = True) -> str:
    """The drawing as one SVG element; with `document`, as a file of its own."""
    width, height = drawing.width, drawing.height
    head = '<?xml version="1.0" encoding="UTF-8"?>\n' if document else ""
    size = f'viewBox="0 0 {_n(width)} {_n(height)}"'
    # Within a page its size is the page's.
    size += f' width="{_n(width)}" height="{_n(height)}"' if document else ""
    return (
        f'{head}<svg xmlns="http://www.w3.org/2000/svg" {size} role="img"'
        f' font-family="system-ui, Helvetica, Arial, sans-serif">\n'
        f"<title>{_t(drawing.title)}</title>\n"
        f'<rect width="100%" height="100%" fill="#ffffff"/>\n{"".join(_shapes(drawing))}</svg>\n'
    )


def _shapes(drawing: Drawing) -> Iterator[str]:
    for line in drawing.lines:
        colour, width, dashes = _LINES[line.tone]
        points = " ".join(f"{_n(x)},{_n(y)}" for x, y in line.points)
        dashed = f' stroke-dasharray="{dashes}"' if dashes else ""
        yield (
            f'<polyline points="{points}" fill="none" stroke="{colour}" stroke-width="{width}"'
            f"{dashed}>{_title(line.title)}</polyline>\n"
        )
    for box in drawing.boxes:
        fill, edge, width, corner = _BOXES[box.tone]
        yield (
            f'<rect x="{_n(box.x)}" y="{_n(box.y)}" width="{_n(box.width)}"'
            f' height="{_n(box.height)}" rx="{corner}" fill="{fill}" stroke="{edge}"'
            f' stroke-width="{width}">{_title(box.title)}</rect>\n'
        )
    for label in drawing.labels:
        colour, size, weight = _TEXTS.get(label.tone, _TEXTS[Tone.SMALL])
        # A white edge keeps a text legible where a line runs below it.
        yield (
            f'<text x="{_n(label.x)}" y="{_n(label.y)}" font-size="{size}" fill="{colour}"'
            f' font-weight="{weight}" text-anchor="{label.anchor.value}" paint-order="stroke"'
            f' stroke="#ffffff" stroke-width="2.5">{_title(label.title)}{_t(label.text)}</text>\n'
        )


def _title(text: str) -> str:
    return f"<title>{_t(text)}</title>" if text else ""


def _t(text: str) -> str:
    return escape(safe(text))


def _n(number: float) -> str:
    """A number with at most one digit behind the point."""
    return f"{number:.1f}".removesuffix(".0")
