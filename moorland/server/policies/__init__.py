"""Roles of the draft and their assignments."""
