"""Whether damage can be seen in a pair: plain tests that know where to look."""

import numpy as np
import pandas as pd
from scipy import stats

#: A test that looks in one place only may take this for chance.
_CHANCE = 1e-4
_FEWEST = 3


def visible(old, new, clean, truth, keyed):
    """Whether the damage shows: in matched cells, or in a column's distribution.

    ``clean`` is the newer version before the damage.
    """
    if list(old.columns) != list(new.columns):
        return True
    if not truth.columns:
        return _rows(old, new)
    return any(_column(old, new, clean, name, keyed) for name in truth.columns)


def _rows(old, new):
    if new.duplicated().sum() > old.duplicated().sum() + _FEWEST:
        return True
    names = [name for name in new if name != "row"]
    if new.duplicated(names).sum() > old.duplicated(names).sum() * 1.5 + _FEWEST:
        return True
    return len(new) < 0.9 * len(old)


def _column(old, new, clean, name, keyed):
    a, b = old[name], new[name]
    if len(new) < len(clean):
        return _share(len(old) - len(new), len(old)) or _differ(a, b)
    if keyed and "row" in old and name != "row":
        before, after = a.set_axis(old["row"]), b.set_axis(new["row"])
        shared = before.index.intersection(after.index)
        one, other = before[shared], after[shared].astype(object)
        differs = (one.astype(object) != other) & ~(one.isna() & other.isna())
        if differs.sum() >= _FEWEST:
            return True
    if name == "row":
        return b.duplicated().sum() >= _FEWEST
    return _differ(a, b)


def _share(lost, of):
    return lost > 0.1 * of


def _differ(a, b):  # noqa: PLR0911 (one for each test)
    if _counts_differ(a.isna().sum(), len(a), b.isna().sum(), len(b)):
        return True
    a, b = a.dropna(), b.dropna()
    if not len(a) or not len(b):
        return True
    if a.dtype.kind != b.dtype.kind and b.dtype.kind not in "iuf":
        return True
    if pd.api.types.is_numeric_dtype(a) or pd.api.types.is_datetime64_any_dtype(a):
        if pd.api.types.is_datetime64_any_dtype(a):
            hours = [side.dt.hour.value_counts() for side in (a, b)]
            if _tables_differ(*hours):
                return True
            # Later deliveries hold later dates: that some lie beyond the old ones is no damage.
            a, b = (side.astype("int64") for side in (a, b))
            return bool(stats.ks_2samp(a, b).pvalue < _CHANCE)
        beyond = ((b > a.max()) | (b < a.min())).sum()
        if beyond >= _FEWEST and beyond > 5 * len(b) / len(a):
            return True
        if stats.ks_2samp(a, b).pvalue < _CHANCE:
            return True
        decimals = [(side % 1 == 0).sum() for side in (a, b)]
        if _counts_differ(decimals[0], len(a), decimals[1], len(b)):
            return True
        top = b.value_counts()
        return _counts_differ((a == top.index[0]).sum(), len(a), top.iloc[0], len(b))
    counts = a.astype(str).value_counts(), b.astype(str).value_counts()
    if len(counts[0]) > 0.5 * len(a):
        return False
    unseen = counts[1][~counts[1].index.isin(counts[0].index)]
    if len(counts[0]) < 40 and unseen.sum() >= _FEWEST:
        return True
    return _tables_differ(*counts)


def _counts_differ(one, of_one, other, of_other):
    table = [[one, of_one - one], [other, of_other - other]]
    return stats.fisher_exact(table).pvalue < _CHANCE


def _tables_differ(one, other):
    names = one.index.union(other.index)
    table = np.array([side.reindex(names, fill_value=0) for side in (one, other)])
    common = table.sum(axis=0) >= 5
    table = np.column_stack([table[:, common], table[:, ~common].sum(axis=1)])
    table = table[:, table.sum(axis=0) > 0]
    return table.shape[1] > 1 and stats.chi2_contingency(table).pvalue < _CHANCE
