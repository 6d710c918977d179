"""The stations: one step of the work each, as a bench; `listed` names them in order."""
