"""What may be shown of masked and omitted columns: everything but their values."""

from __future__ import annotations

import tomllib
from collections.abc import Sequence
from typing import Protocol

import msgspec

from nachsicht.config.settings import Settings
from nachsicht.errors import DocumentError, SettingsError
from nachsicht.model.dataset_schema import ColumnDescription, Description
from nachsicht.model.notes import Note
from nachsicht.model.profile import ProfileDocument
from nachsicht.sources.protocol import Opened, UnreadLine
from nachsicht.table.masking import SECRET, mask_id
from nachsicht.table.prepare import fitting, refuse_unknown

#: Stands where a text of the user's may quote values of hidden columns.
_NOT_SHOWN = "***"


class _Named(Protocol):
    @property
    def label(self) -> str: ...

    @property
    def names(self) -> Sequence[str]: ...


def without_hidden(opened: Opened, settings: Settings) -> Opened:
    """The source with a description that says nothing of the values of hidden columns."""
    if opened.description is None or not (settings.mask or settings.omit):
        return opened
    return msgspec.structs.replace(opened, description=_described(opened.description, settings))


def _described(description: Description, settings: Settings) -> Description:
    names = [column.name for column in description.columns]
    omitted, masked = fitting(names, settings.omit), fitting(names, settings.mask)
    columns = tuple(
        # Marks often hold for all columns alike.
        _without_values(column)
        if column.name in masked
        else msgspec.structs.replace(column, na_values=())
        for column in description.columns
        if column.name not in omitted
    )
    key = () if {*description.key} & {*omitted} else description.key
    return msgspec.structs.replace(description, columns=columns, key=key)


def _without_values(column: ColumnDescription) -> ColumnDescription:
    """What may be said of pseudonyms: nothing that a value, or the way it is written, tells."""
    return ColumnDescription(
        name=column.name,
        title=column.title,
        text=column.text,
        required=column.required,
        unique=column.unique,
    )


def settings_shown(settings: Settings) -> Settings:
    """Settings as they may be shown: without what may quote values of hidden columns."""
    if not (settings.mask or settings.omit):
        return settings
    marks_in = dict.fromkeys(settings.na_values_by_column, (_NOT_SHOWN,))
    marks = (_NOT_SHOWN,) if settings.na_values else ()
    query = _NOT_SHOWN if settings.reading.query else None
    where = (_NOT_SHOWN,) if settings.reading.where else None
    reading = msgspec.structs.replace(settings.reading, query=query, where=where)
    return msgspec.structs.replace(
        settings,
        na_values=marks,
        na_values_by_column=marks_in,
        level_orders=dict.fromkeys(settings.level_orders, (_NOT_SHOWN,)),
        reading=reading,
    )


def unread_notes(lines: Sequence[UnreadLine], settings: Settings) -> list[Note]:
    """Some of the lines that could not be read; as they stand only where nothing is hidden."""
    hidden = bool(settings.mask or settings.omit)
    return [
        Note("unread_line", {"line": line.number, "fields": line.fields})
        if hidden
        else Note(
            "unread_line_shown", {"line": line.number, "fields": line.fields, "text": line.text}
        )
        for line in lines
    ]


def refuse_share_safe(versions: Sequence[_Named]) -> None:
    """Refuse documents that are safe to share already: what they lack cannot be compared.

    Raises
    ------
    DocumentError
        If a version is such a document.
    """
    for version in versions:
        if isinstance(version, ProfileDocument) and version.smallest_group:
            raise DocumentError("share_safe_compared", where=version.label)


def check_hidden(versions: Sequence[_Named], settings: Settings) -> None:
    """Refuse versions of which one shows what another hides, or the settings hide.

    Raises
    ------
    SettingsError
        If a document shows a column that is to be hidden or lacks it, if a column is masked in
        one version alone, or if pseudonyms were made with different secrets.
    """
    for version in versions:
        if isinstance(version, ProfileDocument):
            _check_document(version, settings)
    masked = [fitting(version.names, _masks_of(version, settings)) for version in versions]
    for own, version in zip(masked, versions, strict=True):
        for name in own:
            _check_clear(name, version, versions, masked)
    ids = {
        version.origin.mask_id if isinstance(version, ProfileDocument) else mask_id()
        for own, version in zip(masked, versions, strict=True)
        if own
    }
    if len(ids) > 1:
        raise SettingsError("different_secrets", where="mask", secret=SECRET)


def _check_document(document: ProfileDocument, settings: Settings) -> None:
    own = _own(document)
    for name in fitting(document.names, settings.omit):
        raise SettingsError("document_holds_omitted", where=document.label, name=name)
    for name in fitting(document.names, settings.mask):
        if name not in fitting(document.names, own.get("mask", ())):
            raise SettingsError("document_shows_masked", where=document.label, name=name)
    refuse_unknown(document.names, settings.mask, "mask")
    left_out = [name for name in settings.omit if not fitting([name], own.get("omit", ()))]
    refuse_unknown(document.names, left_out, "omit")


def _check_clear(
    name: str, version: _Named, versions: Sequence[_Named], masked: Sequence[Sequence[str]]
) -> None:
    for own, other in zip(masked, versions, strict=True):
        if name in other.names and name not in own:
            raise SettingsError(
                "masked_in_one", where="mask", name=name, label=version.label, label2=other.label
            )


def _masks_of(version: _Named, settings: Settings) -> Sequence[str]:
    own = _own(version).get("mask", ()) if isinstance(version, ProfileDocument) else settings.mask
    return list(own)


def _own(document: ProfileDocument) -> dict[str, list[str]]:
    """What a document was made with."""
    own = tomllib.loads(document.origin.settings)
    return {name: own.get(name, []) for name in ("mask", "omit")}
