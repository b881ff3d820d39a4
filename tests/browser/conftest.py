"""Pages of the demo, written once."""

import pytest

import nachsicht


@pytest.fixture(scope="session")
def written(demo_comparison, demo_files, tmp_path_factory):
    folder = tmp_path_factory.mktemp("pages")
    pages = {"comparison": demo_comparison.write(folder / "comparison.html")}
    for profile in demo_comparison.versions:
        pages[profile.label] = profile.write(folder / f"{profile.label}.html")
    seasons = nachsicht.compare(*(demo_files[f"hive_checks_{y}.csv"] for y in (2023, 2024, 2025)))
    pages["seasons"] = seasons.write(folder / "seasons.html")
    return pages
