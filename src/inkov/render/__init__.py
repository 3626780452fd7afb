"""From results to text: terminal, JSON, CSV, Markdown. No decisions are made here, only layout."""
