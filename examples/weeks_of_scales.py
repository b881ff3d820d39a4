"""A history of weekly readings of the union's hive scales: what happened on the way."""

import tempfile
from datetime import date, timedelta

import numpy as np
import pandas as pd

import nachsicht

FIRST = date(2025, 1, 6)


def readings(week: int) -> pd.DataFrame:
    """A week of 400 readings: a scale is set anew in week 30, batteries run down from week 10."""
    rng = np.random.default_rng(week)
    return pd.DataFrame(
        {
            "weight_kg": rng.normal(42 + 5 * (week >= 30), 4, 400).round(1),
            "battery_v": rng.normal(4.1 - 0.01 * max(week - 10, 0), 0.08, 400).round(2),
            "weather": rng.choice(["sun", "rain", "fog"], 400, p=[0.4, 0.4, 0.2]),
        }
    )


history = nachsicht.History(tempfile.mkdtemp())
for week in range(40):
    history.record(readings(week), label=f"w{week:02d}", moment=FIRST + timedelta(weeks=week))

for sentence in history.courses().sentences:
    print(sentence)
