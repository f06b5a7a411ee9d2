"""Schedules: refreshes from sources that run by themselves, and are accepted within what was agreed (sources.md 19)."""
