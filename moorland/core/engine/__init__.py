"""Columns and keys in memory, visible rows, rows, totals, objects and pages of a viewer (semantics.md 6, 7, 10)."""
