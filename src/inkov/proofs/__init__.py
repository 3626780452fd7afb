"""Claims and their verdicts: holds, with a certificate; broken, with a witness and the lines to
blame; or undecided.
"""

from inkov.proofs.prove import prove
from inkov.proofs.verdict import Blame, Verdict

__all__ = ["Blame", "Verdict", "prove"]
