"""Several devices on one line: how they are called, and what a unit scan of them says."""
