"""The commands of bundle.md, a file for those that belong together."""
