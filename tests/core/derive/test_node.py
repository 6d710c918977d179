"""What nodes get."""

from __future__ import annotations

import pytest
from graph_cases import core_nodes, everything, small_jobs

from full_job import full_job
from lean_trellis.core.derive.graph import Graph


@pytest.mark.parametrize("name", list(small_jobs()))
def test_no_node_reads_what_it_does_not_declare(name):
    job = small_jobs()[name]
    assert everything(Graph(is_guarded=True), job) == everything(Graph(), job)


def test_a_node_gets_only_the_results_that_it_declares():
    graph, job = Graph(), full_job()
    node = next(node for node in core_nodes() if node.name == "health")
    reader = graph._reader(node, job.parts[0].mesh, graph.revision(job), None)
    other = next(node for node in core_nodes() if node.name == "tree")
    assert reader.subjects(other) == []
    with pytest.raises(ValueError, match="unpack"):
        reader.one(other)
