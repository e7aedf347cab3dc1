"""Benchmarks: accuracy against known truth first, then speed and memory as ratios."""
