"""The query door's protocol: frontend/backend protocol 3, as SQL clients speak it. It knows bytes and columns, and nothing of who may see what."""
