"""Which port is cabled to which: links from neighbour reports and cabling tables, with the evidence
for each.
"""

from inkov.wiring.links import Conflict, End, Evidence, Link, Outside, Stray, Wiring, wire
from inkov.wiring.names import is_address
from inkov.wiring.unaware import settled

__all__ = [
    "Conflict",
    "End",
    "Evidence",
    "Link",
    "Outside",
    "Stray",
    "Wiring",
    "is_address",
    "settled",
    "wire",
]
