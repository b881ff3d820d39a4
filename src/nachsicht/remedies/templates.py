"""What mends a finding, by its code: a line of pandas and the same in Polars.

Names in braces stand for literals of the finding: `column`, its evidence, and what
`nachsicht.remedies.build` adds. ``frame`` is the table.
"""

from __future__ import annotations

from typing import NamedTuple


class Template(NamedTuple):
    """A remedy with its literals left open.

    ``usual`` is False for what is right only where the analyst says so.
    """

    pandas: str
    polars: str
    usual: bool = True


def _values(pandas: str, polars: str, usual: bool = True) -> Template:
    """New values of one column."""
    return Template(
        f"frame[{{column}}] = {pandas}",
        f"frame = frame.with_columns({polars})",
        usual,
    )


_FIRST_OF_EQUAL = Template(
    "frame = frame.drop_duplicates(ignore_index=True)",
    "frame = frame.unique(maintain_order=True)",
)
_DROP = Template("frame = frame.drop(columns={columns})", "frame = frame.drop({columns})")
_STAND_IN = _values(
    "frame[{column}].mask(frame[{column}] == {value})",
    "pl.when(pl.col({column}) != {value}).then(pl.col({column})).alias({column})",
)
_INFINITE = _values(
    'frame[{column}].where(frame[{column}].abs() != float("inf"))',
    "pl.when(pl.col({column}).is_finite()).then(pl.col({column})).alias({column})",
)
_NUMBERS = _values(
    "pd.to_numeric(frame[{column}].str.replace({thousands}, '').str.replace({decimal}, '.')"
    ".str.extract({number})[0], errors='coerce')",
    "pl.col({column}).str.replace_all({thousands}, '', literal=True)"
    ".str.replace({decimal}, '.', literal=True).str.extract({number}).cast(pl.Float64)",
)
_DATES = _values(
    "pd.to_datetime(frame[{column}], format='mixed', dayfirst={day_first}, errors='coerce')",
    "pl.coalesce([pl.col({column}).str.to_datetime(form, strict=False) for form in {forms}])"
    ".alias({column})",
)

TEMPLATES: dict[str, Template] = {
    "rows_repeated": _FIRST_OF_EQUAL,
    "repeats_new": _FIRST_OF_EQUAL,
    "names_renewed": Template(
        "frame = frame[~frame.drop(columns={columns}).duplicated()].reset_index(drop=True)",
        "frame = frame.unique(pl.exclude({columns}), keep='first', maintain_order=True)",
    ),
    "stand_in": _STAND_IN,
    "stand_in_new": _STAND_IN,
    "infinite": _INFINITE,
    "infinite_new": _INFINITE,
    "look_alikes": _values(
        "frame[{column}].replace(dict.fromkeys({others}, {spelling}))",
        "pl.col({column}).replace(dict.fromkeys({others}, {spelling}))",
    ),
    "respelled": _values(
        "frame[{column}].replace(dict(zip({new_spellings}, {old_spellings})))",
        "pl.col({column}).replace({new_spellings}, {old_spellings})",
    ),
    "relabelled": _values(
        "frame[{column}].replace(dict(zip({new_levels}, {old_levels})))",
        "pl.col({column}).replace({new_levels}, {old_levels})",
    ),
    "blank": _values(
        "frame[{column}].mask(frame[{column}].str.strip() == '')",
        "pl.when(pl.col({column}).str.strip_chars() != '').then(pl.col({column})).alias({column})",
    ),
    "numbers_as_text": _NUMBERS,
    "stored_as_text": _NUMBERS,
    "dates_as_text": _DATES,
    "rescaled": _values(
        "((frame[{column}] - {offset}) / {factor}).round({decimals})",
        "((pl.col({column}) - {offset}) / {factor}).round({decimals})",
    ),
    "multiplied": _values(
        "(frame[{column}] / {factor}).round({decimals})",
        "(pl.col({column}) / {factor}).round({decimals})",
    ),
    "shifted": _values(
        "(frame[{column}] - {shift}).round({decimals})",
        "(pl.col({column}) - {shift}).round({decimals})",
    ),
    "turned": _values("-frame[{column}]", "-pl.col({column})"),
    "skewed": _values("np.{root}(frame[{column}])", "pl.col({column}).{root}()", usual=False),
    "moments_shifted": _values(
        "pd.to_datetime(frame[{column}]) - pd.Timedelta(days={days})",
        "pl.col({column}) - pl.duration(days={days})",
    ),
    "clock_shifted": _values(
        "pd.to_datetime(frame[{column}]) - pd.Timedelta(hours={hours})",
        "pl.col({column}) - pl.duration(hours={hours})",
    ),
    "day_month_exchanged": _values(
        "pd.to_datetime(frame[{column}]).map("
        "lambda t: t.replace(day=t.month, month=t.day) if t.day <= 12 else t)",
        "pl.when(pl.col({column}).dt.day() <= 12).then(pl.col({column}).dt.replace("
        # Some versions replace in all rows first: the month must be one in each of them.
        "day=pl.col({column}).dt.month(), month=pl.min_horizontal(pl.col({column}).dt.day(), 12)))"
        ".otherwise(pl.col({column}))",
    ),
    "constant": _DROP,
    "all_missing": _DROP,
    "became_constant": _DROP._replace(usual=False),
    "nearly_constant": _DROP._replace(usual=False),
    "gives_away": _DROP._replace(usual=False),
    "gives_away_new": _DROP._replace(usual=False),
    "swapped": Template(
        "frame = frame.rename(columns=dict(zip({columns}, {columns_back})))",
        "frame = frame.rename(dict(zip({columns}, {columns_back})))",
    ),
    "renamed": Template(
        "frame = frame.rename(columns={{{new_name}: {old_name}}})",
        "frame = frame.rename({{{new_name}: {old_name}}})",
    ),
}

#: Of every category, where the analyst wants them: rare levels put together, and a column of
#: zeros and ones for each level.
RARE = Template(
    "shares = frame[{column}].value_counts(normalize=True)\n"
    "rare = shares.index[shares.cumsum() - shares > {share}]\n"
    "frame[{column}] = frame[{column}].where(~frame[{column}].isin(rare), {other})",
    "shares = frame[{column}].drop_nulls().value_counts(sort=True, normalize=True)\n"
    "before = pl.col('proportion').cum_sum() - pl.col('proportion')\n"
    "rare = shares.filter(before > {share})[{column}]\n"
    "column = pl.col({column})\n"
    "frame = frame.with_columns("
    "pl.when(column.is_in(rare.to_list())).then(pl.lit({other})).otherwise(column).alias({column}))",
    usual=False,
)
INDICATORS = Template(
    "frame = pd.get_dummies(frame, columns=[{column}], dtype=int)",
    "frame = frame.to_dummies({column})",
    usual=False,
)

#: Steps on rows come first, then values; columns are dropped and renamed last, so that every
#: step finds the names that the data has.
ORDER = {code: place for place, code in enumerate(TEMPLATES)}
