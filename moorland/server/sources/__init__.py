"""Sources: engines whose tables stay where they are (sources.md 17)."""
