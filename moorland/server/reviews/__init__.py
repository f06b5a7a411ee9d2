"""Reviews: whether people still need what they hold is looked at again, line by line (accounts.md 22 to 24)."""
