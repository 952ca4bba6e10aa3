"""Relay: serial over the network, virtual ports, two ends joined, and the checks of the path."""
