"""The ways that bars take, what braces them, and what was changed by hand."""
