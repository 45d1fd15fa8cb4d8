"""Plan: the chain, exposure and the chart routine."""
