"""A SCIM 2.0 server (RFC 7643, 7644): a client provisions people of one origin, by its token (accounts.md 20)."""
