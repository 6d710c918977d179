"""Bars: what they are, where they hold, how they are made; `spec` is the family. Ends, ways, trees, facts lie below."""
