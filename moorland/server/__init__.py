"""The workspace kept in a database and served over HTTP: one app a concern."""
