"""Checks kept in the workspace: promises, run for the draft and what is live."""
