"""Orders from a table."""

from __future__ import annotations

import csv
import io

import pytest
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


def test_owner_and_order_come_from_a_pasted_table(trio):
    job = trio
    job = edits.copy_part(job, "part-1").job
    text = "Name;Order;Owner\nSLAB;FW-0431;Mallow Lane Dental\nr*;FW-0432;Tern Street Organs\nhinge;FW-1;X\n"
    assigned = assign_orders(job, read_orders(text))
    parts = {part.name: (part.owner, part.order) for part in assigned.edit.job.parts}
    assert parts["slab"] == parts["slab (2)"] == ("Mallow Lane Dental", "FW-0431")
    assert parts["rod"] == ("Tern Street Organs", "FW-0432")
    assert parts["ball"] == ("", "")
    assert assigned.unknown == ("hinge",)
    plain = assign_orders(job, read_orders("ball\tOtterbank Survey\tFW-9"))
    assert plain.edit.job.part("part-2").owner == "Otterbank Survey"


@pytest.mark.parametrize(("text", "words"), [("", "empty"), ("name\nslab", "no column"), ("a,b,c", "no part")])
def test_a_table_that_says_nothing_is_refused(trio, text, words):
    with pytest.raises(EditError, match=words):
        assign_orders(trio, read_orders(text))
