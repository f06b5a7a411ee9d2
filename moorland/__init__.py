"""Moorland: who sees what, for everyone at once, before anything is released."""
