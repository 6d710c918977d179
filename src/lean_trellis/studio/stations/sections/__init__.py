"""Sections: what benches are folded into. Each shows the session as it is and asks for edits; it keeps no facts."""
