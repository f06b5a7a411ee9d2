"""The answer to "what does this viewer see": no Django, no HTTP, no interface words."""
