"""Outside viewers: people another application vouches for with signed claims, who see embedded pages (channels.md 15)."""
