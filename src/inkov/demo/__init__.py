"""The demo campus: data files, and how they are copied."""

from importlib.resources import files

from inkov.demo.copy import MADE, DemoExists, copy_demo

__all__ = ["DIALECTS", "MADE", "DemoExists", "copy_demo"]

DIALECTS = files("inkov.demo") / "campus" / "garden"
"""Where the demo's dialects are."""
