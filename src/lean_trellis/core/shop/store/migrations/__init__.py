"""The steps by which tables came to be as they are."""
