"""Families proposed from what is known of the shots."""

from dovrel.core.sorting import Taken, natural, propose


def readings(level: float, warm: float = 0.0) -> tuple[float, ...]:
    r, g, b = level + warm / 2, level, level - warm / 2
    return (2, r, 80, 2, g, 80, 2, b, 80, 5)


def names(found):
    return {one.name: one.shots for one in found}


def test_named_places_make_families_in_the_order_of_their_first_shots():
    shots = [
        Taken(1, "12", "Shop", "A", readings(40)),
        Taken(2, "21", "Yard", "A", readings(60)),
        Taken(3, "12", "Shop", "C", readings(20, -30)),
    ]
    found = propose(shots)
    assert [one.name for one in found] == ["Shop", "Yard"]
    assert names(found)["Shop"] == (1, 3)


def test_one_place_in_two_scenes_makes_two():
    shots = [Taken(1, "12", "Shop", "A", None), Taken(2, "14", "Shop", "A", None)]
    assert names(propose(shots)) == {"Shop, scene 12": (1,), "Shop, scene 14": (2,)}


def test_without_a_place_light_divides_a_scene_camera_by_camera():
    shots = [
        Taken(1, "7", "", "A", readings(40, 0)),
        Taken(2, "7", "", "A", readings(42, 2)),
        Taken(3, "7", "", "A", readings(12, 30)),
        Taken(4, "7", "", "B", readings(14, -25)),
    ]
    found = names(propose(shots))
    assert found["Scene 7, light 1"] == (1, 2, 4)
    assert found["Scene 7, light 2"] == (3,)


def test_shots_of_which_nothing_is_known_stay_together():
    found = propose([Taken(1, "", "", "A", None), Taken(2, "", "", "B", None)])
    assert names(found) == {"Not sorted yet": (1, 2)}
    assert propose([]) == []


def test_names_stand_as_people_count():
    names = ["12A-10", "12A-2", "2B-1", "12a-1", "Pick-up 3", "Pick-up 12", "", "٣A", "9999999999999999999A"]
    ordered = sorted(names, key=natural)
    assert ordered[0] == ""
    assert [n for n in ordered if n.lower().startswith("12a")] == ["12a-1", "12A-2", "12A-10"]
    assert ordered.index("2B-1") < ordered.index("12a-1")
    assert ordered.index("Pick-up 3") < ordered.index("Pick-up 12")
