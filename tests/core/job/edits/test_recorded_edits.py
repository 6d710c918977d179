"""Every edit changes what it changed before, and nothing else; `./trellis record` where a change is meant."""

from __future__ import annotations

import json

from recorded import EDITS, differing
from recorded_edits import edited


def test_every_edit_changes_what_is_recorded():
    before, names = json.loads(EDITS.read_text("utf-8")), []
    for name, changes in edited():
        assert differing(before[name], json.loads(json.dumps(changes))) == {}, name
        names.append(name)
    assert names == list(before)
    assert sum("refused" not in changes for changes in before.values()) > 130
