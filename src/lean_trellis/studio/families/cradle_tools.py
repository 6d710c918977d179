"""Cradles by hand: what each post does, and where it is."""

from __future__ import annotations

from collections.abc import Callable

from lean_trellis.core.sets import ParameterSet
from lean_trellis.core.supports.bodies.cradle import Cradle
from lean_trellis.studio.families.load_figures import LoadsSection
from lean_trellis.studio.family_tools import HandTools
from lean_trellis.studio.forms.tables import PickTable
from lean_trellis.studio.messages import Fly
from lean_trellis.studio.session import Session

_MOST_POSTS = 200


class CradleTools(HandTools):
    """The posts in a list; picking one goes there."""

    def __init__(self, session: Session, chosen_set: Callable[[], ParameterSet]) -> None:
        super().__init__(session, chosen_set)
        self.posts = PickTable(("Post", "Contact", "Depth, mm", "mm²"), several=False, stretch=1)
        self.posts.setObjectName("shapes.posts")
        self.posts.setFixedHeight(210)
        self.posts.selected.connect(self._fly_to_post)
        self.body.addWidget(self.posts)
        self.add_lost_and_kept("shapes")
        self.further = (LoadsSection(session),)

    @property
    def _cradle(self) -> Cradle | None:
        made = self.made
        return made if isinstance(made, Cradle) else None

    def _fly_to_post(self, keys: list[int]) -> None:
        cradle = self._cradle
        if cradle is not None and keys and keys[0] < len(cradle.posts):
            self.asks.emit(Fly(tuple(cradle.posts.tops[keys[0]].tolist())))

    def refresh(self) -> None:
        """The posts."""
        cradle = self._cradle
        self.posts.setVisible(cradle is not None)
        if cradle is not None:
            posts = cradle.posts
            depths, areas = posts.depths.tolist(), posts.areas.tolist()
            rows = [
                (number, (number + 1, posts.state(number), round(depths[number], 3), round(areas[number], 3)))
                for number in range(min(len(posts), _MOST_POSTS))
            ]
            self.posts.show_rows(rows, [])
        self.show_kept("", ())
