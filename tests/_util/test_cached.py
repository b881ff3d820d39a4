"""What is kept is computed once for each object, by as many threads as ask."""

from concurrent.futures import ThreadPoolExecutor
from threading import Barrier

from nachsicht._util.cached import kept


def test_it_is_computed_once():
    class Hive:
        asked = 0

        @kept
        def frames(self):
            """How many there are."""
            self.asked += 1
            return 11

    hive = Hive()
    assert (hive.frames, hive.frames, hive.asked) == (11, 11, 1)
    assert Hive.frames.__doc__ == "How many there are."


def test_threads_do_not_wait_for_each_other():
    class Hive:
        meeting = Barrier(2, timeout=20)

        @kept
        def frames(self):
            self.meeting.wait()  # breaks where the other one is not let in
            return 11

    with ThreadPoolExecutor(2) as pool:
        assert list(pool.map(lambda hive: hive.frames, [Hive(), Hive()])) == [11, 11]
