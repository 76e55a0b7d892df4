"""Benchmarks against the operating system's own commands, as ratios within one run."""
