"""Drawings of a campus, as data: where each switch stands, and the lines, boxes and texts of it.
`render` writes them as SVG, HTML, PNG and PDF.
"""

from inkov.drawing.campus import Look, draw_campus
from inkov.drawing.front import draw_front
from inkov.drawing.shapes import Box, Drawing, Label, Line, Tone

__all__ = ["Box", "Drawing", "Label", "Line", "Look", "Tone", "draw_campus", "draw_front"]
