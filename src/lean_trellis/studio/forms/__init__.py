"""Fields and forms: numbers that take sums and units, parameters from their declarations, the sketch."""
