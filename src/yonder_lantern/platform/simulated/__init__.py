"""Simulated services, to try settings with: no network, no cost."""
