"""What whoever runs the server looks at: whether it lives, whether it is ready, its figures, and its log (docs/operation.md)."""
