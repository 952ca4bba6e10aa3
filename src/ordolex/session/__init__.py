"""What a technician works on, without an interface: the open book, the links and who runs them, their sheets, what is
under way on each, and what can be done with them as calls that return results. Interface and command line stand on it.
"""
