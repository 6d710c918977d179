"""What leaves the program: parts and supports as files."""

from lean_trellis.core.release.export import ExportRequest, export_build

__all__ = ["ExportRequest", "export_build"]
