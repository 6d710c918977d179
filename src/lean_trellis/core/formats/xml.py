"""XML from outside, read as a stream: no entities, no network, no end of bytes; errors in one clear line."""

from __future__ import annotations

from pathlib import Path
from typing import IO, Any

from lxml import etree

from lean_trellis.core.errors import FormatError
from lean_trellis.core.formats.archives import MOST_BYTES
from lean_trellis.core.progress import Watch

_CHUNK = 1 << 20


class Broken(ValueError):  # noqa: N818 - it never leaves the readers
    """Something in the XML cannot be; the text says what."""


class Target:
    """What receives the events; a reader overrides what it needs and gives its result from `close`."""

    def start(self, tag: str, attributes: Any) -> None:
        """An element begins."""

    def end(self, tag: str) -> None:
        """An element ends."""

    def data(self, text: str) -> None:
        """Text inside an element."""

    def doctype(self, *_: object) -> None:
        """Refused: what declares entities can grow without end."""
        raise Broken("declares XML entities, which mesh files do not need")

    def close(self) -> Any:
        """What was read."""
        return None


def streamed(path: Path, stream: IO[bytes], size: int, target: Target, watch: Watch) -> Any:
    """Feed a stream of `size` bytes to the target and give what it made. Raises `FormatError`."""
    parser = etree.XMLParser(target=target, no_network=True, load_dtd=False)
    done = 0
    try:
        while chunk := stream.read(_CHUNK):
            done += len(chunk)
            if done > MOST_BYTES or b"<!ENTITY" in chunk:
                raise FormatError(path, "declares XML entities or never ends", "do not use this file")
            parser.feed(chunk)
            watch.at(0.05 + 0.6 * done / max(size, 1), f"reading {path.name}")
        return parser.close()
    except etree.XMLSyntaxError as problem:
        raise FormatError(path, f"holds broken XML ({' '.join(problem.msg.split())})", "export it again") from None
    except Broken as problem:
        raise FormatError(path, str(problem), "export it again") from None
    except KeyError as problem:
        raise FormatError(path, f"an element of it lacks {problem}", "export it again") from None
    except ValueError:
        raise FormatError(path, "a coordinate or index in it is no number", "export it again") from None
