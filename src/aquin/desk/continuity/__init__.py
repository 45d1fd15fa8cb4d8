"""The Continuity view: the cut as a strip with its lanes, one cut large, all of it at a glance, light over the day."""
