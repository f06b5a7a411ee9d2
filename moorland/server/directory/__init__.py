"""People: accounts, organizations, groups and attributes. They act at once."""
