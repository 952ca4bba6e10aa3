"""The desk Talk."""
