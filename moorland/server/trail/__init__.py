"""The record of who did and looked at what."""
