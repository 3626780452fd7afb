"""The one place for exit statuses."""

ALL_WELL = 0
FINDINGS = 1
"""Findings at or above --fail-on, or something in a file that was not understood."""
UNUSABLE = 2
"""Wrong usage, or an input that could not be read at all."""
INTERRUPTED = 130
PIPE_CLOSED = 141
