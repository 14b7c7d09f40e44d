"""What was worked out last: kept, dropped, and made only when it is asked for a second time."""

from concurrent.futures import ThreadPoolExecutor
from threading import Barrier

from dovrel.machine.newest import Newest, Same, SecondTime


def test_what_was_asked_for_longest_ago_goes_first():
    kept: Newest[str] = Newest(2)
    kept.keep("a", "A")
    kept.keep("b", "B")
    assert kept.get("a") == "A"
    kept.keep("c", "C")
    assert ("a" in kept, "b" in kept, "c" in kept) == (True, False, True)


def test_a_thing_is_the_same_as_itself_alone():
    one, like_it = [1], [1]
    assert Same(one) == Same(one)
    assert Same(one) != Same(like_it)
    assert hash(Same(one)) == hash(Same(one))


def test_a_value_is_made_the_second_time_and_once():
    made = []

    def make() -> int:
        made.append(1)
        return 7

    second: SecondTime[int] = SecondTime(2)
    assert [second.get("a", make) for _ in range(4)] == [None, 7, 7, 7]
    assert len(made) == 1
    assert second.get("b", make) is None


def test_threads_that_ask_at_once_make_it_once():
    made, together = [], Barrier(4)
    second: SecondTime[int] = SecondTime(2)
    second.get("a", lambda: 0)

    def ask() -> int | None:
        together.wait()
        return second.get("a", lambda: made.append(1) or len(made))

    with ThreadPoolExecutor(4) as pool:
        assert [one.result() for one in [pool.submit(ask) for _ in range(4)]] == [1, 1, 1, 1]
    assert len(made) == 1
