"""Values as named tables and back: a form each."""
