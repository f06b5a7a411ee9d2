"""Findings: what Moorland notices in a bundle, each with its evidence and a remedy."""
