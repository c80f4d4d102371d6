"""The rules and computation of the job. Pure: no web, no database, no files, no clock, no hidden randomness."""
