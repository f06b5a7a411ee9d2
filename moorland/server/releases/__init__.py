"""Releases: immutable, hashed documents that viewers get."""
