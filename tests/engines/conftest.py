"""Real clusters on this machine."""

import os
import shutil
import sys

import pytest


@pytest.fixture(scope="session")
def dask_client():
    """A cluster of two processes on this machine."""
    from distributed import Client, LocalCluster

    with (
        LocalCluster(n_workers=2, threads_per_worker=1, dashboard_address="127.0.0.1:0") as cluster,
        Client(cluster) as client,
    ):
        yield client


@pytest.fixture(scope="session")
def spark():
    """Spark on two cores of this machine."""
    if shutil.which("java") is None:
        pytest.skip("Spark needs Java, and there is none")
    from pyspark.sql import SparkSession

    os.environ["PYSPARK_PYTHON"] = sys.executable  # else executors run the system's Python
    builder = SparkSession.builder.master("local[2]").config("spark.ui.enabled", "false")
    builder = builder.config("spark.sql.shuffle.partitions", "3")
    session = builder.config("spark.sql.session.timeZone", "UTC").getOrCreate()
    session.sparkContext.setLogLevel("ERROR")
    yield session
    session.stop()
