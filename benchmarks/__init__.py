"""Benchmarks: `make bench` prints the table; nothing here is a test."""
