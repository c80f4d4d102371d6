"""Where lines come from and how many are changed at once."""
