"""What leaves the program: exports, releases with their tickets, and the practice machines they go to.

Nothing is imported here: a practice machine is a process of its own and needs next to nothing of the rest.
"""
