"""The query door: SQL clients come in with door keys, and are answered as whoever they are (channels.md 13)."""
