"""A policy written into a PostgreSQL database as views, for programs that read it there (channels.md)."""
