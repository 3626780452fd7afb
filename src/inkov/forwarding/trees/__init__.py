"""Spanning trees: what is elected, what forwards then, and what a loss does (FM 7)."""
