"""What accounts may do in Moorland, and within what."""
