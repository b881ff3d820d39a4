"""``python -m nachsicht`` is the command."""

from nachsicht.cli import main

main(prog_name="nachsicht")
