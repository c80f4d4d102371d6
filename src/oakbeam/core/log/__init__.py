"""The log: what images say, which exposure they belong to, and what their evidence says of the chart."""
