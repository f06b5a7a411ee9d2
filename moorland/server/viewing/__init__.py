"""Questions asked by administrators and by viewers."""
