"""What came of parameter sets, read from the board now and then beside whoever asks: nobody waits for the library."""

from __future__ import annotations

import threading
import time
from collections.abc import Callable, Mapping

from lean_trellis.core.board.outcomes import SetRecord, outcomes_of, set_records
from lean_trellis.core.errors import TrellisError
from lean_trellis.core.shop.address import library_is_there

_LOOK_AGAIN_S = 30.0


class SetRecords:
    """Records of sets by name and version, as they were read last. `address` tells where the library is."""

    def __init__(self, address: Callable[[], str]) -> None:
        self._address = address
        self._known: Mapping[tuple[str, int], SetRecord] = {}
        self._looked_at = -float("inf")
        self._looks: threading.Thread | None = None

    def of(self, name: str, version: int) -> SetRecord | None:
        """What is known of a version of a set; None where nothing was noted, or nothing has been read yet."""
        is_looking = self._looks is not None and self._looks.is_alive()
        if not is_looking and time.monotonic() - self._looked_at >= _LOOK_AGAIN_S:
            self._looked_at = time.monotonic()
            if library_is_there(self._address()):
                self._looks = threading.Thread(target=self.look, daemon=True, name="outcomes")
                self._looks.start()
        return self._known.get((name, version))

    def look(self) -> None:
        """Read the board now; where it cannot be read, what was known stays."""
        if not library_is_there(self._address()):
            return
        from lean_trellis.core.board.board import Board  # the database is a second of a program's start
        from lean_trellis.core.shop.store.store import open_store

        try:
            store = open_store(self._address())
            try:
                self._known = set_records(outcomes_of(Board(store).builds()))
            finally:
                store.close()
        except TrellisError:
            return
