"""Open formats around the core's types: charts as CSV and JSON, exposures as CSV."""
