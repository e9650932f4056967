"""The one place that turns a history up to an origin into the arrays a method sees."""
