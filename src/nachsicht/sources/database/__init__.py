"""Databases, by SQLAlchemy and ADBC."""
