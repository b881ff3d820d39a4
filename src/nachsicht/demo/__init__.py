"""The demo: hive checks of a made-up beekeepers' union, with trouble planted on purpose."""
