"""Edits: the neutral difference of two campuses, and applying it.

An edit changes one attribute of one thing (a switch, a port, a gateway, ...), or adds or removes
the thing as a whole. It does not know how it came about: whoever compares, mends or tries
something uses the same edits. Pure functions of campuses.
"""

from inkov.edits.about import vids_of
from inkov.edits.apply import apply
from inkov.edits.difference import difference
from inkov.edits.edit import Edit, Kind
from inkov.edits.renamed import Renamed, renamed, renames

__all__ = ["Edit", "Kind", "Renamed", "apply", "difference", "renamed", "renames", "vids_of"]
