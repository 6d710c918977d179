"""Orders from a table."""

from __future__ import annotations

import csv
import io

from hypothesis import given
from hypothesis import strategies as st

from lean_trellis.core.errors import EditError
from lean_trellis.core.formats import Body
from lean_trellis.core.job import edits, new_job
from lean_trellis.core.job.orders import assign_orders, read_orders
from lean_trellis.core.mesh.primitives import box

WORDS = st.text(st.characters(codec="utf-8", exclude_categories=("Cc", "Cs")), min_size=1, max_size=12).map(str.strip)


@given(st.lists(st.tuples(WORDS.filter(bool), WORDS, WORDS), min_size=1, max_size=6), st.sampled_from(",;\t"))
def test_any_table_that_a_spreadsheet_writes_is_read_again(rows, delimiter):
    text = io.StringIO()
    writer = csv.writer(text, delimiter=delimiter)
    writer.writerow(["Name", "Owner", "Order"])
    writer.writerows(rows)
    found = read_orders(text.getvalue())
    assert [(row.name, row.owner, row.order) for row in found] == [tuple(w.strip() for w in row) for row in rows]


@given(st.text(max_size=60))
def test_no_text_in_the_clipboard_breaks_anything(metal, text):
    job = edits.add_bodies(new_job(*metal), [Body("tile", box((12, 9, 3)), 12)]).job
    try:
        assigned = assign_orders(job, read_orders(text))
    except EditError:
        return
    assert {part.id for part in assigned.edit.job.parts} == {"part-1"}
