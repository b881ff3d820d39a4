"""Recipes: the code that makes a figure or number of the page again.

With Nachsicht, and with plain pandas where that is a few lines. The page fills in the names in
braces, as literals, and for VALUES the column, or the lengths of its texts. ``made`` is the
result, ``frame`` the newest version as a pandas frame; a recipe leaves its figure in ``figure``
and its numbers in ``numbers``.
"""

from __future__ import annotations

from nachsicht.model.comparison import ComparisonDocument

#: By name: with Nachsicht, and with pandas (empty where it takes more than a few lines).
RECIPES: dict[str, tuple[str, str]] = {
    "statistics": (
        "numbers = made.column({name}).to_frame()",
        "numbers = frame[{name}].agg("
        "['mean', 'std', 'min', 'median', 'max', 'skew', 'kurt', 'sum'])",
    ),
    "described": (
        "numbers = made.column({name}).to_frame()",
        "numbers = frame[{name}].describe()",
    ),
    "top_values": (
        "figure = made.column({name}).figure('top_values')\n"
        "numbers = made.column({name}).top_values()",
        "numbers = frame[{name}].value_counts(normalize=True).head(10)",
    ),
    "quantiles": (
        "figure = made.column({name}).figure('quantiles')\n"
        "numbers = made.column({name}).quantiles()",
        "numbers = frame[{name}].quantile({shares})",
    ),
    "bins": (
        "figure = made.column({name}).figure()\nnumbers = made.column({name}).distribution()",
        "import numpy as np\n"
        "edges = {start} + {width} * np.arange({bins} + 1)\n"
        "numbers, _ = np.histogram(VALUES.dropna(), edges)",
    ),
    "values": (
        "figure = made.column({name}).figure()\nnumbers = made.column({name}).distribution()",
        "numbers = VALUES.value_counts().sort_index()",
    ),
    "levels": (
        "figure = made.column({name}).figure()\nnumbers = made.column({name}).distribution()",
        "numbers = frame[{name}].value_counts()",
    ),
    "time": (
        "figure = made.column({name}).figure()\nnumbers = made.column({name}).distribution()",
        "",
    ),
    "density": ("figure = made.column({name}).figure('density')", ""),
    "cumulative": (
        "figure = made.column({name}).figure('cumulative')",
        "numbers = VALUES.value_counts(normalize=True).sort_index().cumsum()",
    ),
    "box": (
        "figure = made.column({name}).figure('box')",
        "numbers = VALUES.quantile([0.25, 0.5, 0.75])",
    ),
    "normal": (
        "figure = made.column({name}).figure('normal')",
        "from scipy.stats import probplot\nnumbers, _ = probplot(VALUES.dropna())",
    ),
    "matrix": (
        "figure = made.relations.figure()\nnumbers = made.relations.matrix()",
        "numbers = frame.select_dtypes('number').corr('spearman')",
    ),
    "pair": (
        "pair = made.relations.pair({x}, {y})\nfigure = pair.figure()\nnumbers = pair.to_frame()",
        "",
    ),
    "components": (
        "figure = made.components.figure()\nnumbers = made.components.to_frame()",
        "",
    ),
    "missing": (
        "figure = made.missing.figure('patterns')\nnumbers = made.missing.to_frame()",
        "numbers = frame.isna().sum().sort_values(ascending=False)",
    ),
    "duplicates": (
        "numbers = made.duplicates.to_frame()",
        "numbers = frame[frame.duplicated(keep=False)]",
    ),
    "outcome": (
        "figure = made.outcome.figure()\nnumbers = made.outcome.to_frame()",
        "",
    ),
    "over_time": (
        "figure = made.time.figure({name})\nnumbers = made.time.to_frame()",
        "",
    ),
}

_READERS = {"csv": "read_csv", "parquet": "read_parquet", "json": "read_json", "xlsx": "read_excel"}


def recipes_payload(document: ComparisonDocument) -> dict[str, object]:
    """What every recipe begins with, and the recipes."""
    return {
        "made": "import nachsicht\n" + _made(document),
        "frame": "import pandas as pd\n" + _frame(document),
        "recipes": RECIPES,
    }


def _made(document: ComparisonDocument) -> str:
    sources = [repr(version.origin.source) for version in document.versions]
    given = ", settings='nachsicht.toml'" if document.versions[-1].origin.settings else ""
    by = document.grouped_by or document.sliced_by
    if by is not None:
        source = document.versions[-1].origin.source
        return f"made = nachsicht.compare_groups({source!r}, {by!r}{given})"
    if len(sources) == 1:
        return f"made = nachsicht.profile({sources[0]}{given})"
    return f"made = nachsicht.compare({', '.join(sources)}{given})"


def _frame(document: ComparisonDocument) -> str:
    source = document.versions[-1].origin.source
    reader = _READERS.get(source.removesuffix(".gz").rpartition(".")[2].lower(), "read_csv")
    return f"frame = pd.{reader}({source!r})"
