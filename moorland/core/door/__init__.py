"""SQL to questions: what a statement asks is asked of the one evaluator, and what it computes is computed on the answers (channels.md 13)."""
