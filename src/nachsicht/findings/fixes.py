"""What mends a finding: a line of pandas and the same in Polars.

Names in braces stand for literals of the finding: `column`, its evidence, and what
`nachsicht.remedies.build` adds. ``frame`` is the table.
"""

from __future__ import annotations

from enum import IntEnum
from typing import NamedTuple


class Step(IntEnum):
    """In which order remedies apply: columns are dropped and renamed last.

    So every step finds the names that the data has.
    """

    ROWS = 0
    MISSING = 1
    LEVELS = 2
    TYPES = 3
    NUMBERS = 4
    DATES = 5
    DROPPED = 6
    SWAPPED = 7
    RENAMED = 8


class Template(NamedTuple):
    """A remedy with its literals left open.

    ``usual`` is False for what is right only where the analyst says so.
    """

    step: Step
    pandas: str
    polars: str
    usual: bool = True

    @property
    def unusual(self) -> Template:
        """The same, for where it is right only if the analyst says so."""
        return self._replace(usual=False)


def _values(step: Step, pandas: str, polars: str) -> Template:
    """New values of one column."""
    return Template(
        step,
        f"frame[{{column}}] = {pandas}",
        f"frame = frame.with_columns({polars})",
    )


FIRST_OF_EQUAL = Template(
    Step.ROWS,
    "frame = frame.drop_duplicates(ignore_index=True)",
    "frame = frame.unique(maintain_order=True)",
)
BLOCK = Template(
    Step.ROWS,
    "frame = frame.drop(frame.index[{first_row} - 1:{last_row}]).reset_index(drop=True)",
    "frame = pl.concat([frame[:{first_row} - 1], frame[{last_row}:]])",
)
ROW_BEFORE = Template(
    Step.ROWS,
    "frame = frame[~(frame.eq(frame.shift()) | frame.isna() & frame.shift().isna()).all(axis=1)]"
    ".reset_index(drop=True)",
    "frame = frame.filter(pl.Series([True]).append(~pl.Series(["
    "a == b for a, b in zip(frame.iter_rows(), frame[1:].iter_rows())], dtype=pl.Boolean)))",
)
DROP = Template(
    Step.DROPPED, "frame = frame.drop(columns={columns})", "frame = frame.drop({columns})"
)
SENTINEL = _values(
    Step.MISSING,
    "frame[{column}].mask(frame[{column}] == {value})",
    "pl.when(pl.col({column}) != {value}).then(pl.col({column})).alias({column})",
)
INFINITE = _values(
    Step.MISSING,
    'frame[{column}].where(frame[{column}].abs() != float("inf"))',
    "pl.when(pl.col({column}).is_finite()).then(pl.col({column})).alias({column})",
)
NUMBERS = _values(
    Step.TYPES,
    "pd.to_numeric(frame[{column}].str.replace({thousands}, '').str.replace({decimal}, '.')"
    ".str.extract({number})[0], errors='coerce')",
    "pl.col({column}).str.replace_all({thousands}, '', literal=True)"
    ".str.replace({decimal}, '.', literal=True).str.extract({number}).cast(pl.Float64)",
)
DATES = _values(
    Step.TYPES,
    "pd.to_datetime(frame[{column}], format='mixed', dayfirst={day_first}, errors='coerce')",
    "pl.coalesce([pl.col({column}).str.to_datetime(form, strict=False) for form in {forms}])"
    ".alias({column})",
)

REIMPORTED_ROWS = Template(
    Step.ROWS,
    "frame = frame[~frame.drop(columns={columns}).duplicated()].reset_index(drop=True)",
    "frame = frame.unique(pl.exclude({columns}), keep='first', maintain_order=True)",
)
SIMILAR_LEVELS = _values(
    Step.LEVELS,
    "frame[{column}].replace(dict.fromkeys({others}, {spelling}))",
    "pl.col({column}).replace(dict.fromkeys({others}, {spelling}))",
)
RESPELLED = _values(
    Step.LEVELS,
    "frame[{column}].replace(dict(zip({new_spellings}, {old_spellings})))",
    "pl.col({column}).replace({new_spellings}, {old_spellings})",
)
RELABELLED = _values(
    Step.LEVELS,
    "frame[{column}].replace(dict(zip({new_levels}, {old_levels})))",
    "pl.col({column}).replace({new_levels}, {old_levels})",
)
BLANK = _values(
    Step.LEVELS,
    "frame[{column}].mask(frame[{column}].str.strip() == '')",
    "pl.when(pl.col({column}).str.strip_chars() != '').then(pl.col({column})).alias({column})",
)
RESCALED = _values(
    Step.NUMBERS,
    "((frame[{column}] - {offset}) / {factor}).round({decimals})",
    "((pl.col({column}) - {offset}) / {factor}).round({decimals})",
)
MULTIPLIED = _values(
    Step.NUMBERS,
    "(frame[{column}] / {factor}).round({decimals})",
    "(pl.col({column}) / {factor}).round({decimals})",
)
SHIFTED = _values(
    Step.NUMBERS,
    "(frame[{column}] - {shift}).round({decimals})",
    "(pl.col({column}) - {shift}).round({decimals})",
)
SIGN_FLIPPED = _values(Step.NUMBERS, "-frame[{column}]", "-pl.col({column})")
SKEWED = _values(Step.NUMBERS, "np.{root}(frame[{column}])", "pl.col({column}).{root}()")
DATES_SHIFTED = _values(
    Step.DATES,
    "pd.to_datetime(frame[{column}]) - pd.Timedelta(days={days})",
    "pl.col({column}) - pl.duration(days={days})",
)
TIMEZONE_SHIFTED = _values(
    Step.DATES,
    "pd.to_datetime(frame[{column}]) - pd.Timedelta(hours={hours})",
    "pl.col({column}) - pl.duration(hours={hours})",
)
DAY_MONTH_SWAPPED = _values(
    Step.DATES,
    "pd.to_datetime(frame[{column}]).map("
    "lambda t: t.replace(day=t.month, month=t.day) if t.day <= 12 else t)",
    "pl.when(pl.col({column}).dt.day() <= 12).then(pl.col({column}).dt.replace("
    # Some versions replace in all rows first: the month must be one in each of them.
    "day=pl.col({column}).dt.month(), month=pl.min_horizontal(pl.col({column}).dt.day(), 12)))"
    ".otherwise(pl.col({column}))",
)
SWAPPED = Template(
    Step.SWAPPED,
    "frame = frame.rename(columns=dict(zip({columns}, {columns_back})))",
    "frame = frame.rename(dict(zip({columns}, {columns_back})))",
)
RENAMED = Template(
    Step.RENAMED,
    "frame = frame.rename(columns={{{new_name}: {old_name}}})",
    "frame = frame.rename({{{new_name}: {old_name}}})",
)

#: Of every category, where the analyst wants them: rare levels put together, and a column of
#: zeros and ones for each level.
RARE = Template(
    Step.LEVELS,
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
    Step.LEVELS,
    "frame = pd.get_dummies(frame, columns=[{column}], dtype=int)",
    "frame = frame.to_dummies({column})",
    usual=False,
)
