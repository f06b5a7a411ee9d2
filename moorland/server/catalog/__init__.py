"""Models and their data, kept as column chunks."""
