"""The desk Set, in parts."""
