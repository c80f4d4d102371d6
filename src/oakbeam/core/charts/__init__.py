"""Charts and their lines: technique systems, ranges, links, tables."""
