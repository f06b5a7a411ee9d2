"""The shapes of a bundle, and their reading, writing and validating (bundle.md)."""
