"""Shelves and pages."""
