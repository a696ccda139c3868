"""Benchmarks: ratios measured side by side in one run, since machines are shared and noisy."""
