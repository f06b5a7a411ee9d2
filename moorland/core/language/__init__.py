"""Conditions and measures: parse, check and type, evaluate on columns (semantics.md 1 and 4)."""
