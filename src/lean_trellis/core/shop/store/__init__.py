"""The shop library: what a shop saves of its own, with every version of it, in a database."""
