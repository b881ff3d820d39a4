"""One version of a dataset, from its source to what is compared."""

from __future__ import annotations

import platform
import time
from collections.abc import Mapping, Sequence

import msgspec

from nachsicht._util.blas_threads import threads
from nachsicht._util.clock import now, seconds_since
from nachsicht._util.progress import ProgressListener, ignore_progress
from nachsicht._version import VERSION
from nachsicht.comparison.context import Version
from nachsicht.config.settings import Settings, as_described, settings_text
from nachsicht.engines.dispatch import run_engine
from nachsicht.engines.in_memory import InMemory
from nachsicht.findings.example_rows import ExampleRowFinder, with_rows
from nachsicht.model.column import ColumnSummary
from nachsicht.model.dataset_schema import Description
from nachsicht.model.missing import MissingPatterns
from nachsicht.model.outcome import Outcome
from nachsicht.model.pair_plots import Components, OverTime, PairView
from nachsicht.model.profile import Duplicates, Origin, Relations
from nachsicht.pipeline.assemble import put_together
from nachsicht.pipeline.check_hidden import settings_shown, unread_notes, without_hidden
from nachsicht.pipeline.open import Held
from nachsicht.pipeline.stated import stated_by
from nachsicht.sources.dataframes import detached
from nachsicht.sources.protocol import Opened
from nachsicht.table.masking import mask_id
from nachsicht.table.prepare import prepared
from nachsicht.table.result import Computed, RetainedData


def version_of(
    opened: Opened,
    label: str,
    title: str,
    settings: Settings,
    listener: ProgressListener | None,
) -> Version:
    """All that is computed of a source."""
    started = time.perf_counter()
    own, opened = as_described(settings, opened.description), without_hidden(opened, settings)
    found = run_engine(opened, own, listener or ignore_progress, _microseconds())
    origin = _origin(opened, settings, seconds_since(started))
    computed, data, reader, in_database = found
    computed = stated_by(opened, own).completed(computed)
    version = _put_together(label, title, computed, data, origin, own, opened.description)
    return msgspec.structs.replace(version, reader=reader, in_database=in_database)


class VersionOnDemand:
    """A version in memory whose parts are computed when they are asked for, and kept.

    It is one of `ProfileParts`.
    """

    def __init__(
        self,
        held: Held,
        label: str,
        title: str,
        settings: Settings,
        listener: ProgressListener | None,
    ) -> None:
        started = time.perf_counter()
        self.label, self.title, self._settings = label, title, settings
        own, table = as_described(settings, held.opened.description), held.table
        self._opened = without_hidden(held.opened, settings)
        # What is computed later must not see what was changed in between.
        table = prepared(detached(table) if self._opened.facts.format == "pandas" else table, own)
        listener, described = listener or ignore_progress, self._opened.description
        self._own = InMemory(table, own, _microseconds(), listener, described)
        self._stated = stated_by(self._opened, own, table)
        self._seconds = held.seconds + seconds_since(started)

    @property
    def rows(self) -> int:
        """How many rows there are."""
        return self._own.rows

    @property
    def names(self) -> Sequence[str]:
        """Of the columns."""
        return self._own.names

    @property
    def columns(self) -> tuple[ColumnSummary, ...]:
        """All columns."""
        return tuple(map(self._stated.complete, self._own.columns))

    @property
    def missing(self) -> Mapping[str, int]:
        """Rows without a value, by column."""
        return self._own.missing

    @property
    def missing_patterns(self) -> MissingPatterns:
        """Which columns go missing together, and where."""
        return self._own.missing_patterns

    @property
    def duplicates(self) -> Duplicates:
        """Rows that equal an earlier one."""
        return self._own.duplicates

    @property
    def duplicates_by_subset(self) -> tuple[Duplicates, ...]:
        """Duplicates in some columns."""
        return self._own.duplicates_by_subset

    @property
    def relations(self) -> Relations:
        """Relations between columns."""
        return self._own.relations

    @property
    def pairs(self) -> tuple[PairView, ...]:
        """The pairs that are drawn."""
        return self._own.pairs

    @property
    def components(self) -> Components | None:
        """Principal components."""
        return self._own.components

    @property
    def over_time(self) -> OverTime | None:
        """Every column over the datetime column."""
        return self._own.over_time

    @property
    def outcome(self) -> Outcome | None:
        """Every column against the outcome."""
        return self._own.outcome

    def column(self, name: str) -> ColumnSummary | None:
        """The first column of that name, or None; no other is computed."""
        if name not in self.names:
            return None
        column = self._own.column(self.names.index(name))
        return self._stated.complete(column)

    def whole(self) -> Version:
        """Everything, with the data."""
        started, settings = time.perf_counter(), self._settings
        computed = self._stated.completed(self._own.computed)
        origin = _origin(self._opened, settings, 0.0)
        seconds = round(self._seconds + seconds_since(started), 3)
        origin = msgspec.structs.replace(origin, seconds=seconds)
        return _put_together(
            self.label,
            self.title,
            computed,
            self._own.at_hand,
            origin,
            settings,
            self._opened.description,
        )


def _origin(opened: Opened, settings: Settings, seconds: float) -> Origin:
    facts = opened.facts
    return Origin(
        source=facts.name,
        format=facts.format,
        source_bytes=facts.size_bytes,
        notes=(*facts.notes, *unread_notes(facts.unread, settings)),
        malformed_lines=facts.unread_lines,
        padded_lines=facts.padded_lines,
        decimals_written=dict(facts.decimals_written),
        settings=settings_text(settings_shown(settings)),
        mask_id=mask_id() if settings.mask else "",
        created_at=now().isoformat(timespec="seconds"),
        moment=facts.moment,
        seconds=seconds,
        nachsicht_version=VERSION,
        python_version=platform.python_version(),
    )


def _put_together(
    label: str,
    title: str,
    computed: Computed,
    at_hand: RetainedData | None,
    origin: Origin,
    settings: Settings,
    description: Description | None,
) -> Version:
    profile = put_together(label, title, computed, origin, settings, description)
    if at_hand is not None:
        shower = ExampleRowFinder(label, at_hand.table, profile.columns)
        with threads(settings.threads) as pool:
            findings = with_rows(profile.findings, shower, pool.map)
        profile = msgspec.structs.replace(profile, findings=findings)
    return Version(profile, at_hand)


def _microseconds() -> int:
    """Since 1970, of now."""
    return int(now().timestamp() * 1e6)
