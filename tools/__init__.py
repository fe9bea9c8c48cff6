"""What ``./odd-heron`` does: set-up, start, tests. Needs nothing but Python itself."""
