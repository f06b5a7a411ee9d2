"""What a viewer could work out of what they may not see (docs/testing.md, Probe)."""
