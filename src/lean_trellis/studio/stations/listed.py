"""All stations, in the order of the work."""

from lean_trellis.studio.stations.layers import LayersStation
from lean_trellis.studio.stations.overhangs import OverhangsStation
from lean_trellis.studio.stations.parts import PartsStation
from lean_trellis.studio.stations.pose import PoseStation
from lean_trellis.studio.stations.release import ReleaseStation
from lean_trellis.studio.stations.setup import SetupStation
from lean_trellis.studio.stations.station import Fact, Station
from lean_trellis.studio.stations.supports import SupportsStation

STATIONS: tuple[type[Station], ...] = (
    SetupStation,
    PartsStation,
    PoseStation,
    OverhangsStation,
    SupportsStation,
    LayersStation,
    ReleaseStation,
)

__all__ = ["STATIONS", "Fact", "Station"]
