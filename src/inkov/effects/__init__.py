"""Effects: what differs between two fabrics in who hears and who reaches whom, exactly; and what a
change does to the campus as a whole.

`relation` finds all pairs that differ, in classes; `groups` puts them into rows that a person can
read; `effect` tells the way of one pair of each, and `blame` finds the edits behind it.
`comparison` puts everything together that a change does, and says what of it nobody meant.
"""

from inkov.effects.comparison import Comparison, Options, compare
from inkov.effects.effect import Effect
from inkov.effects.groups import Group
from inkov.effects.stories import Story
from inkov.effects.words import group_in_words, pair_in_words, story_in_words

__all__ = [
    "Comparison",
    "Effect",
    "Group",
    "Options",
    "Story",
    "compare",
    "group_in_words",
    "pair_in_words",
    "story_in_words",
]
