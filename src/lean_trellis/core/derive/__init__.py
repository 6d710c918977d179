"""What follows from a job, as a graph: nodes with declared inputs, their keys, and a cache bounded by bytes.

`node` says what a node is, `graph` keys and keeps; `parts`, `supports`, `checks` declare the nodes; `pipeline` is how
everybody else asks. Nobody writes a key by hand.
"""

from lean_trellis.core.derive.graph import Graph
from lean_trellis.core.derive.node import Node, Reader
from lean_trellis.core.derive.pipeline import Pipeline, RegionFacts
from lean_trellis.core.derive.recipes import apply_recipe

__all__ = ["Graph", "Node", "Pipeline", "Reader", "RegionFacts", "apply_recipe"]
