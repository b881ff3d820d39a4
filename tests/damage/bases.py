"""Tables of several sorts, all of the beekeepers' union, that damage is done to."""

from pathlib import Path

import numpy as np
import pandas as pd

from nachsicht import demo

TOWNS = ["Dreilinden", "Grünau", "Mühlbach", "Niederfeld", "Söhrewald", "Tannwinkel", "Überlahn"]
SPOKEN = "please leave it with the neighbours behind our green gate today"


def hive_checks() -> pd.DataFrame:
    """The demo's middle delivery, its own troubles mended."""
    path = Path(demo.__file__).parent / "data" / "hive_checks_2024.csv"
    frame = pd.read_csv(path, parse_dates=["checked_on", "checked_at"])
    frame["air_temp_c"] = frame["air_temp_c"].where(frame["air_temp_c"] > -50)
    frame["treatment"] = frame["treatment"].str.lower()
    return frame.drop(columns=["form_version"])


def honey_orders() -> pd.DataFrame:
    """Orders of honey: an order's number, its time, prices, jars, places, remarks."""
    rng = np.random.default_rng(71)
    n = 5000
    day = rng.choice(420, n, p=_seasons(420))
    hour = rng.choice(24, n, p=_working_hours())
    minute = rng.integers(0, 60, n)
    placed = pd.Timestamp("2024-02-05") + pd.to_timedelta(day * 1440 + hour * 60 + minute, "min")
    jars = 1 + rng.poisson(2.5, n)
    price = np.round(jars * rng.gamma(40, 0.16, n), 2)
    town = rng.choice(TOWNS, n, p=[0.26, 0.2, 0.16, 0.14, 0.11, 0.08, 0.05])
    sort = rng.choice(["acacia", "chestnut", "heather", "lime", "mixed"], n)
    words = np.array(SPOKEN.split())
    remark = [" ".join(rng.choice(words, rng.integers(3, 12))) for _ in range(n)]
    customer = rng.choice(["club", "private", "shop"], n, p=[0.2, 0.5, 0.3])
    weight = np.round(jars * 512.5 + rng.normal(0, 30, n), 1)
    return pd.DataFrame(
        {
            "order_no": [f"HO-{i:06d}" for i in rng.permutation(90_000)[:n]],
            "placed_at": placed,
            "customer": customer,
            "town": town,
            "sort": sort,
            "jars": jars,
            "price_eur": price,
            "weight_g": weight,
            "distance_km": np.round(rng.lognormal(2.6, 0.8, n), 1),
            "paid": rng.random(n) < np.where(customer == "club", 0.6, 0.93),
            "remark": np.where(rng.random(n) < 0.7, remark, None),
        }
    )


def hive_scales() -> pd.DataFrame:
    """Readings of scales under the hives."""
    rng = np.random.default_rng(72)
    n = 4000
    minutes = np.sort(rng.integers(0, 200 * 1440, n))
    when = pd.Timestamp("2025-01-03") + pd.to_timedelta(minutes, "min")
    inside = 34 + rng.normal(0, 1.1, n)
    outside = 12 + 9 * np.sin(minutes / 1440 / 200 * np.pi) + rng.normal(0, 4, n)
    hive = rng.choice([f"scale {c}" for c in "ABCDEFGH"], n, p=np.arange(8, 0, -1) / 36)
    return pd.DataFrame(
        {
            "reading_id": np.arange(n) + 500_001,
            "read_at": when,
            "scale": hive,
            "weight_kg": np.round(38 + outside * 0.5 + rng.normal(0, 3, n), 2),
            "inside_c": np.round(inside, 1),
            "outside_c": np.round(outside, 1),
            "humidity": np.round(rng.beta(8, 4, n) * 100, 1),
            "battery_v": np.round(rng.uniform(3.1, 4.2, n), 3),
            "rain_mm": np.round(np.where(rng.random(n) < 0.7, 0, rng.exponential(2, n)), 1),
            "alarm": rng.choice(["no", "yes"], n, p=[0.9, 0.1]),
        }
    )


def _seasons(days: int) -> np.ndarray:
    weights = 2 + np.sin(np.arange(days) / 58) + (np.arange(days) % 7 < 5)
    return weights / weights.sum()


def _working_hours() -> np.ndarray:
    weights = np.array([1] * 7 + [8, 20, 30, 34, 30, 18, 16, 22, 26, 28, 24, 18, 12, 9, 6, 3, 2])
    return weights / weights.sum()


BASES = {"hive checks": hive_checks, "honey orders": honey_orders, "hive scales": hive_scales}


def halves(frame: pd.DataFrame, seed: int) -> tuple[pd.DataFrame, pd.DataFrame]:
    """Two random halves, each in the order of the whole."""
    chosen = np.zeros(len(frame), bool)
    chosen[np.random.default_rng(seed).permutation(len(frame))[: len(frame) // 2]] = True
    return frame[chosen].reset_index(drop=True), frame[~chosen].reset_index(drop=True)
