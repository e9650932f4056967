"""The plan: a file that says a whole job, and the run that follows it."""
