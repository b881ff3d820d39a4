"""Labels of versions and titles of pages, from the names of their sources."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

import nachsicht
from nachsicht.pipeline.labels import labels_for, title_for

NAMES = st.lists(st.text("abz019_-. ", min_size=0, max_size=12), min_size=1, max_size=6)


@pytest.mark.parametrize(
    ("names", "labels", "title"),
    [
        (["hive_checks_2023", "hive_checks_2024"], ["2023", "2024"], "Hive checks, 2023 → 2024"),
        (
            ["checks-w01", "checks-w02", "checks-w10"],
            ["w01", "w02", "w10"],
            "Checks, w01 → … → w10",
        ),
        (["hives", "swarms"], ["hives", "swarms"], "hives → swarms"),
        (["hive_checks"], ["hive_checks"], "Hive checks"),
        (["hives", "hives"], ["old", "new"], None),
        ([""], ["data"], "Data"),
        (["", "", ""], ["version 1", "version 2", "version 3"], None),
    ],
)
def test_labels_are_what_the_names_do_not_share(names, labels, title):
    with nachsicht.use_language("en"):
        assert labels_for(names, None) == labels
        if title:
            assert title_for(names, labels) == title


@given(NAMES)
def test_labels_are_never_empty_and_never_repeat(names):
    labels = labels_for(names, None)
    assert len(labels) == len(names)
    assert all(labels)
    assert len(set(labels)) == len(labels)


@pytest.mark.parametrize(
    ("labels", "what"),
    [(["a"], "2"), (["a", "b", "c"], "2"), (["a", " "], "empty"), (["a", "a"], "a")],
)
def test_given_labels_must_be_one_for_each_and_different(labels, what):
    assert labels_for(["x", "y"], ["before", "after"]) == ["before", "after"]
    with pytest.raises(nachsicht.SettingsError) as error:
        labels_for(["x", "y"], labels)
    assert what in str(error.value)
