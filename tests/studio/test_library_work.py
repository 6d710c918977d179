"""What waits for the shop library holds the window up for a tenth of a second at most."""

from __future__ import annotations

import threading
import time

import pytest
from PyQt6.QtCore import QObject

from lean_trellis.core.errors import LibraryError
from lean_trellis.core.mesh.primitives import box
from lean_trellis.studio import library_work
from lean_trellis.studio.library_work import LibraryWork
from lean_trellis.studio.pictures import wait_until
from lean_trellis.studio.settings import Settings
from lean_trellis.studio.start import make_window


@pytest.fixture
def told(application):
    """The work, what was said, and what came of it."""
    said: list[str] = []
    holder = QObject()
    work = LibraryWork(holder, lambda _, words: said.append(words))
    yield work, said, holder
    work.close()


@pytest.fixture
def patient(monkeypatch):
    """What is quick is waited for however busy the machine is."""
    monkeypatch.setattr(library_work, "_AT_ONCE_S", 60.0)


def test_what_is_quick_is_done_before_anything_else(told, patient):
    work, said, _ = told
    came: list[object] = []
    work.ask(lambda: 7, came.append, came.append)
    assert (came, said, work.is_waiting) == ([7], [], False)


def test_what_takes_long_is_waited_for_beside_the_window_in_its_own_thread(told):
    work, said, _ = told
    free, came = threading.Event(), []
    begin = time.monotonic()
    work.ask(free.wait, lambda _: came.append(threading.current_thread()), came.append)
    work.ask(lambda: 8, came.append, came.append)
    assert time.monotonic() - begin < 5
    assert work.is_waiting
    assert said == ["Waiting for the shop library …"] * 2
    free.set()
    wait_until(lambda: not work.is_waiting)
    assert came == [threading.main_thread(), 8], "one after the other"


def test_a_refusal_is_given_back_and_any_other_fault_is_raised(told, patient):
    work, _, _ = told
    came: list[object] = []

    def refuse() -> None:
        raise LibraryError("set", "is locked", "try again")

    def fail() -> None:
        raise KeyError("a fault of the program")

    work.ask(refuse, came.append, came.append)
    assert [type(one) for one in came] == [LibraryError]
    with pytest.raises(KeyError):
        work.ask(fail, came.append, came.append)


def test_while_another_program_writes_the_window_goes_on_and_the_set_is_saved_after_all(with_parts):
    from lean_trellis.core.shop.store.store import open_store

    user = with_parts(box((20, 20, 5)))
    session, bench = user.session, user.station("supports")
    user.choose(bench.set_choice, "bars-metal")
    user.press(bench.next.support_all)
    user.settle()
    user.type_into(user.field("parameter.spacing"), "2.5")
    user.settle()
    open_store().close()
    other = open_store()
    with other.connected(writes=True):
        user.trigger(bench.save_set.save_as)
        bench.save_set.title.setText("Close bars")
        bench.save_set.keep.click()
        assert session.library_work.is_waiting
        assert session.support.set_name == "bars-metal"
        assert "Waiting" in user.window.status.message.text()
    other.close()
    user.settle()
    assert session.support.set_name == "close-bars"
    assert session.sets.every()["close-bars"].parameters.spacing == 2.5


def test_the_shop_s_own_machines_come_after_the_first_frame_unless_one_is_chosen(application, library):
    from lean_trellis.core.shop import keep_own

    kept = keep_own(library.machine("metal-260"), "Cellar no. 2")
    shipped = library.materials_for(kept)[0].id
    for chosen, is_there in (("", False), (kept.id, True)):
        window = make_window(Settings(window=[1280, 800], machine=chosen, material=shipped))
        window.show()
        assert (kept.id in window.session.library.machines) is is_there
        window.start(warms_up=False)
        wait_until(lambda window=window: kept.id in window.session.library.machines)
        assert (window.session.job.machine.id == kept.id) is is_there
        window.session.replace_job(window.session.job, None)
        window.close()
        window.deleteLater()
