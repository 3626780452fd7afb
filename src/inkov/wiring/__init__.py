"""Which port is cabled to which: links from neighbour reports and cabling tables, with the evidence
for each.
"""

from inkov.wiring.links import Conflict, End, Evidence, Link, Outside, Stray, Wiring, wire

__all__ = ["Conflict", "End", "Evidence", "Link", "Outside", "Stray", "Wiring", "wire"]
