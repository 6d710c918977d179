"""Of bars: figures, faults, what they hold and carry, what follows from them."""
