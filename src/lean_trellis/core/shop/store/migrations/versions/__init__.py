"""One step a module, by its number."""
