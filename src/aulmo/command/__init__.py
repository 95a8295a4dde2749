"""The command line and the benchmark."""
