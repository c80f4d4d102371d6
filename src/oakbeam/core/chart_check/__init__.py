"""Is a chart right? The expected index over thickness, and the chart checks."""
