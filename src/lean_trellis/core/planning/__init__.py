"""Planning: in which pose a part is built, and where on the plate. Proposes; edits are what takes a proposal.

May use parts, overhangs and supports; knows no job.
"""

from lean_trellis.core.planning.arrange import Arranged, ArrangeRequest, Piece, arrange
from lean_trellis.core.planning.pose_search import (
    FIGURES,
    FoundPoses,
    PoseRequest,
    figures_of,
    search_poses,
    sphere_directions,
)

__all__ = [
    "FIGURES",
    "ArrangeRequest",
    "Arranged",
    "FoundPoses",
    "Piece",
    "PoseRequest",
    "arrange",
    "figures_of",
    "search_poses",
    "sphere_directions",
]
