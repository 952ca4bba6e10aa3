"""Several devices on one line: how they are called, and what a roll-call of them says."""
