"""Tables that keep their past as snapshots: Delta Lake and Iceberg tables in a folder."""

from __future__ import annotations

from nachsicht.sources.lakehouse.snapshots import SnapshotSource, is_table, snapshots_since

__all__ = ["SnapshotSource", "is_table", "snapshots_since"]
