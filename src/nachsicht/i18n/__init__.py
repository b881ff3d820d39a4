"""Every word that a person reads: one catalogue a language, and what fills its phrases."""

from nachsicht.i18n.catalogue import (
    DEFAULT,
    catalogue,
    current_language,
    languages,
    lookup,
    set_language,
    use_language,
)
from nachsicht.i18n.messages import (
    MissingFact,
    fields_of,
    format_name,
    phrase,
    printable,
    quoted,
    render,
    value_text,
)
from nachsicht.i18n.numbers import counted, hundredths, number, percent, plain_number, size, whole

__all__ = [
    "DEFAULT",
    "MissingFact",
    "catalogue",
    "counted",
    "current_language",
    "fields_of",
    "format_name",
    "hundredths",
    "languages",
    "lookup",
    "number",
    "percent",
    "phrase",
    "plain_number",
    "printable",
    "quoted",
    "render",
    "set_language",
    "size",
    "use_language",
    "value_text",
    "whole",
]
