"""A drawing as PNG or PDF, by Matplotlib: the shapes and looks of the SVG."""

from __future__ import annotations

import io

from matplotlib.figure import Figure
from matplotlib.lines import Line2D
from matplotlib.patches import FancyBboxPatch
from matplotlib.patheffects import withStroke

from inkov.drawing import Drawing, Tone
from inkov.harmless import safe
from inkov.render.svg import STYLES

__all__ = ["to_picture"]

_DPI = 100
_MOST = 12_000  # pixels of a side of a PNG
_FAMILY = "DejaVu Sans"
_NARROWER = 0.86  # its letters are wider than those of the SVG


def to_picture(drawing: Drawing, form: str) -> bytes:
    """The bytes of a `png` or `pdf` file. The same drawing gives the same bytes."""
    lines, boxes, texts = STYLES
    dpi = min(2 * _DPI, _DPI * _MOST / max(drawing.width, drawing.height))
    figure = Figure(figsize=(drawing.width / _DPI, drawing.height / _DPI), dpi=dpi)
    axes = figure.add_axes((0, 0, 1, 1))
    axes.set_xlim(0, drawing.width)
    axes.set_ylim(drawing.height, 0)
    axes.axis("off")
    points = 72 / _DPI  # of a pixel of the drawing
    for line in drawing.lines:
        colour, width, dashes = lines[line.tone]
        xs, ys = zip(*line.points, strict=True)
        drawn = Line2D(xs, ys, color=colour, linewidth=width * points, zorder=1)
        # A dash is given in widths of its line.
        if dashes:
            drawn.set_dashes([float(number) / width for number in dashes.split()])
        axes.add_line(drawn)
    for box in drawing.boxes:
        fill, edge, width, corner = boxes[box.tone]
        round_off = f"round,pad=0,rounding_size={max(0.01, min(corner, box.height / 2))}"
        axes.add_patch(
            FancyBboxPatch(
                (box.x, box.y),
                box.width,
                box.height,
                boxstyle=round_off,
                facecolor=fill,
                edgecolor=edge,
                linewidth=width * points,
                zorder=2,
            )
        )
    for label in drawing.labels:
        colour, size, weight = texts.get(label.tone, texts[Tone.SMALL])
        # A label in a tone of a box is small text.
        axes.text(
            label.x,
            label.y,
            safe(label.text).replace("$", r"\$"),
            color=colour,
            fontsize=size * points * _NARROWER,
            fontweight="bold" if int(weight) > 500 else "normal",
            family=_FAMILY,
            ha={"start": "left", "middle": "center", "end": "right"}[label.anchor.value],
            va="baseline",
            path_effects=[withStroke(linewidth=2.2 * points, foreground="white")],
            zorder=3,
        )
    out = io.BytesIO()
    # No date and no version: the same drawing gives the same bytes.
    fixed = {"CreationDate": None} if form == "pdf" else {"Software": None}
    figure.savefig(out, format=form, metadata=fixed)
    return out.getvalue()
